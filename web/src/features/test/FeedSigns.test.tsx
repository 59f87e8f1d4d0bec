import { render, screen } from '@testing-library/react'
import { expect, test, vi } from 'vitest'
import { now } from '../../device'
import { stateOf, type FeedState } from '../../run'
import { Frame } from '../../testing/Frame'
import { script, marked } from '../../testing/script'
import { FeedSigns } from './FeedSigns'
import type { Phase } from './phase'

const calm: FeedState = {
  stopped: false,
  apart: false,
  trouble: null,
  numbers: null,
  knobs: {},
  proposals: [],
}
const popped = (script.steps.find(({ step }) => step === 'spring_brakes')?.prompts ?? [])[0]

function shown(feed: Partial<FeedState>, missing = popped?.marks ?? []) {
  const state = stateOf(script, [marked('knob', { knob: 'tractor', state: 'out', cause: 'hand' })])
  const phase = { name: 'prompt', prompt: popped, missing } as unknown as Phase
  const onTake = vi.fn()
  render(
    <Frame>
      <FeedSigns feed={{ ...calm, ...feed }} state={state} phase={phase} onTake={onTake} />
    </Frame>,
  )
  return onTake
}

test.each([
  [{ stopped: true }, 'stopped'],
  [{ trouble: 'gap' as const }, 'gap'],
  [{ trouble: 'jump' as const }, 'jump'],
  [{ knobs: { tractor: true } }, 'disagrees'],
])('what is wrong with a feed is said: %o', (feed, name) => {
  shown(feed)
  expect(screen.getByRole('alert').dataset.feed).toBe(name)
})

test('a knob as it was marked is nothing to say', () => {
  shown({ knobs: { tractor: false } })
  expect(screen.queryByRole('alert')).toBeNull()
})

test('a moment is proposed only for what is still to be marked', () => {
  const proposal = { moment: 'tractor_out' as const, at: now(), numbers: { primary_psi: 28 } }
  const onTake = shown({ proposals: [proposal] })
  screen.getByRole('button').click()
  expect(onTake).toHaveBeenCalledWith([expect.objectContaining({ knob: 'tractor' })], proposal)
})

test('and not for a knob that has been marked already', () => {
  const proposal = { moment: 'tractor_out' as const, at: now(), numbers: { primary_psi: 28 } }
  shown(
    { proposals: [proposal] },
    popped?.marks.filter(({ knob }) => knob === 'trailer'),
  )
  expect(screen.queryByRole('button')).toBeNull()
})
