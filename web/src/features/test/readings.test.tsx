import { act, fireEvent, render, renderHook } from '@testing-library/react'
import type { ReactNode } from 'react'
import { expect, test, vi } from 'vitest'
import { stateOf } from '../../run'
import { type DeviceMark } from '../../device'
import { Frame } from '../../testing/Frame'
import { script, marked } from '../../testing/script'
import { playTo, present } from './played.testing'
import { Tapes } from './Tapes'
import { lowestPsi, psiOf, useReadings } from './useReadings'

/** The hold has ended; it began at 100 psi. */
const atEnd = (): DeviceMark[] => {
  const ended = playTo((state) => state.lead.done.at(-1)?.step.step === 'leak_applied')
  const start = ended.findLast(({ point }) => point === 'start')
  return [...ended, marked('valued', { event: start?.id, primary_psi: 100, secondary_psi: 100 })]
}

function tapes(events: DeviceMark[], unit: 'psi' | 'kpa' = 'psi') {
  const state = stateOf(script, events)
  const onSet = vi.fn()
  const wrapper = ({ children }: { children: ReactNode }) => <Frame unit={unit}>{children}</Frame>
  const { result } = renderHook(() => useReadings(script, state, state.waiting[0], onSet), { wrapper })
  // each tape is set by a touch of its own
  const set = (primary: number, secondary?: number) => {
    act(() => result.current?.set('primary', primary))
    if (secondary !== undefined) act(() => result.current?.set('secondary', secondary))
  }
  return { onSet, set, result, accept: () => act(() => result.current?.accept()) }
}

test('without a mark that wants numbers there are no tapes', () => {
  expect(tapes([]).result.current).toBeNull()
})

test('a tape begins where the needle usually stands, at the end of a hold where it began', () => {
  const full = tapes(playTo(present('release')))
  expect(full.result.current?.ghostPsi('primary')).toBe(script.usual_psi.cut_out)
  const { result } = tapes(atEnd())
  expect(result.current?.group[0]?.point).toBe('end')
  expect(result.current?.ghostPsi('primary')).toBe(100)
})

test('numbers are kept only when every needle has one, in the unit in which they were set', () => {
  const { result, set, accept, onSet } = tapes(playTo(present('release')), 'kpa')
  set(860)
  expect(result.current?.complete).toBe(false)
  accept()
  expect(onSet).not.toHaveBeenCalled()
  set(860, 865)
  accept()
  expect(onSet).toHaveBeenCalledWith(expect.anything(), { primary_kpa: 860, secondary_kpa: 865 }, false)
})

test.each([
  ['above the start of its own hold', () => atEnd(), 104, /start/],
  ['far from where needles stand', () => playTo(present('release')), 60, /usual|125|stop/i],
])('a number %s is asked about once, and taken when it is accepted again', (_, events, value, question) => {
  const { result, set, accept, onSet } = tapes(events())
  set(value, value)
  accept()
  expect(result.current?.asking).toMatch(question)
  expect(onSet).not.toHaveBeenCalled()
  accept()
  expect(onSet).toHaveBeenCalledOnce()
})

test('another number takes the question away', () => {
  const { result, set, accept } = tapes(atEnd())
  set(104, 104)
  accept()
  set(99, 99)
  expect(result.current?.asking).toBeNull()
})

test('what was read late is kept as read late', () => {
  const { result, set, accept, onSet } = tapes(atEnd())
  act(() => result.current?.setLate(true))
  set(99, 98)
  accept()
  expect(onSet).toHaveBeenCalledWith(expect.anything(), expect.anything(), true)
})

test('a mark’s numbers read in psi, whatever they were entered in', () => {
  const mark = { numbers: { primary_kpa: 689.4757, secondary_kpa: 620.5281 } }
  expect(psiOf(mark, 'primary')).toBeCloseTo(100, 3)
  expect(lowestPsi(mark)).toBeCloseTo(90, 3)
  expect(lowestPsi({ numbers: {} })).toBeNull()
})

test('"126 enter 125 enter" sets one needle after the other and takes them', () => {
  const onSet = vi.fn()
  const state = stateOf(script, playTo(present('release')))
  const Both = () => {
    const readings = useReadings(script, state, state.waiting[0], onSet)
    return (
      readings && (
        <Tapes script={script} readings={readings} waiting={state.waiting} onChoose={vi.fn()} ownButton />
      )
    )
  }
  render(
    <Frame unit="psi">
      <Both />
    </Frame>,
  )
  for (const key of ['1', '2', '6', 'Enter', '1', '2', '5', 'Enter']) {
    fireEvent.keyDown(document.activeElement ?? document.body, { key })
  }
  expect(onSet).toHaveBeenCalledWith(expect.anything(), { primary_psi: 126, secondary_psi: 125 }, false)
})
