import { useEffect, useEffectEvent, useSyncExternalStore } from 'react'
import type { Frame, Practice } from '../../device'

/** One thing of the newest frame; draws again only when it has changed, so it must be a plain value. */
export function useSense<T extends string | number | boolean>(
  practice: Practice,
  select: (frame: Frame) => T,
  before: T,
): T {
  return useSyncExternalStore(practice.onFrame, () => (practice.frame ? select(practice.frame) : before))
}

/** Called once for each picture of the screen with the newest frame, past React: needles move by themselves. */
export function useEachPicture(practice: Practice, draw: (frame: Frame) => void): void {
  const drawn = useEffectEvent(draw)
  useEffect(() => {
    let request = 0
    const next = () => {
      if (practice.frame) drawn(practice.frame)
      request = requestAnimationFrame(next)
    }
    next()
    return () => cancelAnimationFrame(request)
  }, [practice])
}

/** Set an attribute only where it is another: what stands still is not painted again. */
export function setIfNew(on: Element | null | undefined, name: string, value: string): void {
  if (on && on.getAttribute(name) !== value) on.setAttribute(name, value)
}

/** The state of the drive beside its frames. */
export const useDriveState = (practice: Practice): string =>
  useSyncExternalStore(
    practice.subscribe,
    () =>
      `${practice.state} ${practice.frame !== null} ${practice.rate} ${practice.trainers} ${Math.round(practice.stoodS)}`,
  )
