import { fireEvent, render, screen } from '@testing-library/react'
import { expect, test, vi } from 'vitest'
import type { Body, Coach, LiveRun, TestRecorder } from '../../device'
import type { Step, TestState } from '../../run'
import { Frame } from '../../testing/Frame'
import { Coached } from './Alone'
import type { Phase } from './phase'

const step = { step: 'leak_applied', limit: { said: {} }, calls: {}, does: {} } as unknown as Step
const rest: Phase = { name: 'rest', stages: [step] }
const both = { en: 'x', es: 'x' }

const coach = (more: Partial<Coach> = {}): Coach => ({
  alone: 'exam',
  asksVerdict: true,
  closing: { pass: { en: 'It may be driven.', es: '' }, fail: { en: 'It stays here.', es: '' } },
  examiner: {
    no_redo: { en: 'That is your decision.', es: '' },
    keep_time: { en: 'I keep the time.', es: '' },
    time: { en: 'Time.', es: '' },
    finished: both,
  },
  presents: null,
  ...more,
})

const said = (value: string) => ({ type: 'said', what: 'verdict:leak_applied', value })

function shown(phase: Phase, events: object[] = [], how: Partial<Coach> = {}) {
  const state = { events, lead: { skipped: [], unmet: [], queue: [], done: [] } } as unknown as TestState
  const marked = vi.fn<(bodies: Body[]) => void>()
  render(
    <Frame>
      <Coached
        {...{ state, phase }}
        coach={coach(how)}
        live={{ run: { id: 'r', script: { needs: {} } } } as unknown as LiveRun}
        recorder={{} as TestRecorder}
        onMark={marked}
      >
        <p>what was judged</p>
      </Coached>
    </Frame>,
  )
  return marked
}

test('in an examination a stage is called and its judgement is never told', () => {
  const marked = shown(rest)
  fireEvent.click(screen.getByRole('button', { name: 'Bad' }))
  expect(marked).toHaveBeenCalledWith([said('fail')])
  expect(screen.queryByText('what was judged')).toBeNull()
})

test('where somebody leads, the judgement is told once the stage was called', () => {
  shown(rest, [], { alone: null })
  expect(screen.queryByText('what was judged')).toBeNull()
})

test('where somebody leads, what was called is followed by the judgement', () => {
  shown(rest, [said('pass')], { alone: null })
  expect(screen.getByText('what was judged')).toBeTruthy()
})

test('over again is refused to whoever names nothing, and granted once it is named', () => {
  const marked = shown(rest, [said('pass')])
  fireEvent.click(screen.getByRole('button', { name: 'Ask to repeat it' }))
  expect(screen.getByText(/your decision/)).toBeTruthy()
  expect(marked.mock.lastCall?.[0]).toEqual([
    expect.objectContaining({ type: 'claim', what: 'redo', named: false, granted: false }),
  ])
  fireEvent.change(screen.getByRole('textbox'), { target: { value: 'The clock was too soon' } })
  fireEvent.click(screen.getByRole('button', { name: 'Ask to repeat it' }))
  expect(marked.mock.lastCall?.[0]).toEqual([
    expect.objectContaining({ what: 'redo', granted: true, why: 'The clock was too soon' }),
    { type: 'attempt', stage: 'leak_applied' },
  ])
})

test('what was called bad may be done over without another word', () => {
  const marked = shown(rest, [said('fail')])
  fireEvent.click(screen.getByRole('button', { name: 'Ask to repeat it' }))
  expect(marked.mock.lastCall?.[0]).toHaveLength(2)
})

test('help is a ladder, each rung noted', () => {
  const phase = { name: 'prompt', step, prompt: { name: 'start' }, missing: [] } as unknown as Phase
  const marked = shown(phase, [], { alone: 'memory' })
  fireEvent.click(screen.getByRole('button', { name: 'What comes next?' }))
  expect(marked.mock.lastCall?.[0]).toEqual([expect.objectContaining({ what: 'help', rung: 'next' })])
  expect(screen.getByText('Applied leak test')).toBeTruthy()
})

test('at the end one of two sentences is said', () => {
  const marked = shown({ name: 'done' })
  fireEvent.click(screen.getByRole('button', { name: 'It stays here.' }))
  expect(marked).toHaveBeenCalledWith([{ type: 'claim', what: 'closing', value: 'fail' }])
})

test('an examiner keeps the time: no clock to look at, and nothing that is so of one vehicle only', () => {
  const start = { name: 'hold', step, start: {} } as unknown as Phase
  shown(start)
  expect(screen.getByText(/I keep the time/)).toBeTruthy()
  expect(screen.queryByText('what was judged')).toBeNull()
  shown({ name: 'read', step, group: [{ point: 'end' }] } as unknown as Phase)
  expect(screen.getByText(/Time\./)).toBeTruthy()
})
