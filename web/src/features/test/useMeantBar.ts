import { useEffect, useRef } from 'react'
import { now, type ClockReading } from '../../device'
import type { Bar } from './bar'

/** So soon after another device's mark a thumb still means what the bar said before it. */
const STILL_MEANT_S = 0.7

interface Shown {
  bar: Bar
  foreign: number
  before: Bar
  changedAt: number
}

/** The bar as the person who marked at that moment saw it; `foreign` counts other devices' marks. */
export function useMeantBar(bar: Bar, foreign: number): (at: ClockReading) => Bar {
  const shown = useRef<Shown>({ bar, foreign, before: bar, changedAt: -Infinity })
  useEffect(() => {
    const { current } = shown
    const changed = foreign !== current.foreign && bar.word !== current.bar.word
    shown.current = changed
      ? { bar, foreign, before: current.bar, changedAt: now().mono_s }
      : { ...current, bar, foreign }
  })
  return (at) => {
    const { before, changedAt } = shown.current
    // nobody means a bar that does nothing
    return at.mono_s - changedAt < STILL_MEANT_S && before.act !== 'nothing' ? before : bar
  }
}
