import { registerSW } from 'virtual:pwa-register'
import { useSyncExternalStore } from 'react'
import { Subscribable } from '../shared/subscribable'

const LOOK_EVERY_MS = 30 * 60_000

let waiting: (() => void) | null = null
const changes = new Subscribable()

/** Keep the application itself on this device, and hear of newer versions; where the browser cannot, it does without. */
export function saveApplication(): void {
  const tries = Number(sessionStorage.getItem(TAKING_OVER))
  sessionStorage.removeItem(TAKING_OVER)
  // whoever chose the newer version and got the one before again need not choose twice
  let chosen = tries > 0 && tries < MOST_TRIES
  if (tries > 0) {
    // a page that was loaded a moment too early still came from the version before
    const deaf = loadAnewOnceTaken()
    setTimeout(() => {
      deaf()
      chosen = false
    }, TOO_EARLY_MS)
  }
  registerSW({
    onNeedRefresh() {
      if (chosen) return void takeOver(tries + 1)
      waiting = () => void takeOver(1)
      changes.tell()
    },
    onRegisteredSW(_address, registration) {
      if (registration) setInterval(() => void registration.update().catch(() => undefined), LOOK_EVERY_MS)
    },
  })
}

const TELL_AGAIN_MS = 1000
/** In the session's memory while a newer version takes over: how often it was told to. */
const TAKING_OVER = 'lowhiss.taking-over'
const MOST_TRIES = 3

/** No longer than this: what another tab takes over later is no reason to load this one anew in the middle of a test. */
const TOO_EARLY_MS = 10_000

/** Load the page anew when a newer version has taken it; returns what stops listening for that. */
function loadAnewOnceTaken(): () => void {
  const again = () => window.location.reload()
  navigator.serviceWorker.addEventListener('controllerchange', again, { once: true })
  return () => navigator.serviceWorker.removeEventListener('controllerchange', again)
}

/**
 * Let the newer version take over, and load the page anew once it has. Which of two workers a page's own registration
 * heard of first plays no part: whatever waits is told to come, again where it was being put in place just then.
 */
async function takeOver(tries: number): Promise<void> {
  sessionStorage.setItem(TAKING_OVER, String(tries))
  loadAnewOnceTaken()
  const registration = await navigator.serviceWorker.getRegistration()
  const tell = () => {
    if (registration?.waiting) registration.waiting.postMessage({ type: 'SKIP_WAITING' })
    else if (!registration?.installing) window.location.reload()
  }
  tell()
  setInterval(tell, TELL_AGAIN_MS)
}

/** Changes to the newer version that waits, by loading the page anew; null while there is none. */
export const useUpdate = (): (() => void) | null => useSyncExternalStore(changes.subscribe, () => waiting)
