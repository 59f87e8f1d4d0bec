import { act, renderHook } from '@testing-library/react'
import { beforeEach, expect, test } from 'vitest'
import { useSetup } from './useSetup'

const unit = { rules: 'us-cdl', procedure: null, status: null }
const begun = () => renderHook(() => useSetup(unit))

beforeEach(() => localStorage.clear())

test('the way of the last test on this device is the next one’s, but never what it was for', () => {
  const { result } = begun()
  act(() =>
    result.current.change({
      purpose: 'rehearsal',
      readings: 'feed',
      policy: 'primary',
      timekeeper: 'driver',
    }),
  )
  expect(begun().result.current.setup).toMatchObject({ readings: 'eye', policy: null, timekeeper: 'tool' })
  act(() => result.current.remember())
  expect(begun().result.current.setup).toMatchObject({
    ...{ readings: 'feed', policy: 'primary', timekeeper: 'driver' },
    ...{ purpose: 'dispatch', calls: 'off', watcher: '' },
  })
})

test.each(['no JSON', '{"readings":"radio","policy":7,"timekeeper":"tool"}', 'null'])(
  'what cannot be read is the usual way: %s',
  (kept) => {
    localStorage.setItem('lowhiss.way', kept)
    expect(begun().result.current.setup).toMatchObject({ readings: 'eye', policy: null, timekeeper: 'tool' })
  },
)

test('what is said follows what the test is for, until it is chosen', () => {
  const { result } = begun()
  act(() => result.current.change({ purpose: 'training' }))
  expect(result.current.setup.calls).toBe('prompt')
  act(() => result.current.change({ calls: 'off' }))
  act(() => result.current.change({ purpose: 'rehearsal' }))
  expect(result.current.setup.calls).toBe('off')
})

test('other rules bring their own order of work, unless the unit has one', () => {
  const { result } = begun()
  act(() => result.current.chooseProcedure('leak-check'))
  act(() => result.current.chooseRules('canada-west'))
  expect([result.current.rules, result.current.procedure]).toEqual(['canada-west', undefined])
})
