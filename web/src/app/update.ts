import { registerSW } from 'virtual:pwa-register'
import { useSyncExternalStore } from 'react'
import { Subscribable } from '../shared/subscribable'

const LOOK_EVERY_MS = 30 * 60_000

let waiting: (() => void) | null = null
const changes = new Subscribable()

/** Keep the application itself on this device, and hear of newer versions; where the browser cannot, it does without. */
export function keepApplication(): void {
  const apply = registerSW({
    onNeedRefresh() {
      waiting = () => void apply(true)
      changes.tell()
    },
    onRegisteredSW(_address, registration) {
      if (registration) setInterval(() => void registration.update().catch(() => undefined), LOOK_EVERY_MS)
    },
  })
}

/** Changes to the newer version that waits, by loading the page anew; null while there is none. */
export const useUpdate = (): (() => void) | null => useSyncExternalStore(changes.subscribe, () => waiting)
