/** The marks of several devices on one line of time, told by this device's own clock. Pure. */

import type { DeviceEvent } from './db'

export interface Here {
  device: string
  epoch: string
  /** The run's time less this page's monotonic clock [s], where that is known. */
  offsetS: number | null
}

const clockOf = ({ device, epoch }: { device: string; epoch: string }): string => `${device} ${epoch}`

/**
 * The events in the order they were marked. As long as only this device has marked, that is the order it kept them in.
 * Marks of other devices are given this page's clock, so that whatever counts from them counts right here.
 */
export function arrange(events: DeviceEvent[], here: Here): DeviceEvent[] {
  if (events.every(({ event }) => event.device === here.device)) return events
  const offsets = new Map<string, number>()
  if (here.offsetS !== null) offsets.set(clockOf(here), here.offsetS)
  for (const { event, atS } of events) {
    if (atS !== undefined) offsets.set(clockOf(event), atS - event.mono_s)
  }
  const own = offsets.get(clockOf(here))
  let last = 0
  const timed = events.map((local) => {
    const offset = offsets.get(clockOf(local.event))
    // what cannot be placed by its clock stays behind what it followed
    last = local.atS ?? (offset === undefined ? last : local.event.mono_s + offset)
    return { local, atS: last }
  })
  return timed
    .sort((a, b) => a.atS - b.atS || a.local.place - b.local.place)
    .map(({ local, atS }) => {
      if (local.event.device === here.device || own === undefined) return local
      return { ...local, event: { ...local.event, epoch: here.epoch, mono_s: atS - own } }
    })
}
