import { expect, test } from 'vitest'
import { stateOf } from '../../run'
import type { Blocked, DeviceMark } from '../../device'
import { script, marked } from '../../testing/script'
import { barFor, repeat, type BarContext } from './bar'
import { bodiesOf, movesNext, phaseOf, type Phase, type Verdict } from './phase'
import { playTo, present, valued } from './played.testing'

const phase = (events: DeviceMark[], passed = 0, verdicts: Verdict[] = [], stale = false): Phase =>
  phaseOf(stateOf(script, events), { rest: passed }, verdicts, stale)
const verdict = (stage: string, outcome: string) =>
  ({
    stage,
    outcome,
    attempt: 1,
    stands: true,
    close_call: false,
    findings: [],
    arithmetic: '',
  }) as unknown as Verdict
const bar = (events: DeviceMark[], verdicts: Verdict[] = [], rest = 0, more: Partial<BarContext> = {}) => {
  const state = stateOf(script, events)
  return barFor({
    ...{
      script,
      state,
      readings: null,
      verdicts,
      ownWatch: false,
      rolling: false,
      speed: '',
      judging: false,
    },
    phase: phaseOf(state, { rest }, verdicts, false),
    ...more,
  })
}

test('a step asks for what it needs, one thing at a time, and then for its mark', () => {
  expect(phase([])).toMatchObject({ name: 'ask', need: 'wheels_chocked' })
  const ready = playTo((state) => present('cut_out')(state) && state.lead.unmet.length === 0)
  expect(phase(ready)).toMatchObject({ name: 'prompt', prompt: { name: 'cut_out' } })
})

test('a stage that is done wants its numbers, then rests; going on leads to the next need', () => {
  const canceled = playTo(present('release'))
  expect(phase(canceled)).toMatchObject({ name: 'read', step: { step: 'cut_out' } })
  const read = valued(canceled, 125)
  const rest = phase(read)
  expect(rest).toMatchObject({ name: 'rest', stages: [{ step: 'cut_out' }] })
  const done = stateOf(script, read).lead.done.length
  expect(phase(read, done)).toMatchObject({ name: 'ask', need: 'engine_off' })
})

test('the minute is a phase of its own, from the start to the end', () => {
  const held = playTo((state) => state.hold !== null)
  expect(phase(held, 99)).toMatchObject({
    name: 'hold',
    step: { step: 'leak_applied' },
    start: { point: 'start' },
  })
  expect(bar(held, [], 99).held).toBe(true)
})

test('a stage that runs straight on rests only with the stage after it', () => {
  const warned = playTo(present('spring_brakes'))
  expect(phase(valued(warned), 99).name).not.toBe('rest')
  const popped = valued(
    playTo((state) => state.lead.done.at(-1)?.step.step === 'spring_brakes'),
    30,
  )
  expect(phase(popped)).toMatchObject({
    name: 'rest',
    stages: [{ step: 'low_air_warning' }, { step: 'spring_brakes' }],
  })
})

test.each([
  ['fail', 'again'],
  ['void', 'again'],
  ['pass', 'pedalUp'],
])('after a %s the bar offers %s', (outcome, word) => {
  const ended = valued(playTo((state) => state.lead.done.at(-1)?.step.step === 'leak_applied'))
  expect(bar(ended, [verdict('leak_applied', outcome)]).word).toBe(word)
})

test('a retest puts the pedal up, rests no more on the old attempt and begins with the refill', () => {
  const ended = valued(playTo((state) => state.lead.done.at(-1)?.step.step === 'leak_applied'))
  const bodies = repeat(stateOf(script, ended), 'leak_applied')
  expect(bodies.map(({ type }) => type)).toEqual(['pedal', 'attempt'])
  const again = [...ended, ...bodies.map(({ type, ...rest }) => marked(type, rest))]
  expect(phase(again)).toMatchObject({ name: 'ask', step: { step: 'safe_start' } })
})

test.each([
  [[verdict('leak_applied', 'fail')], false, { name: 'locked', why: 'failed', stages: ['leak_applied'] }],
  [[verdict('leak_applied', 'pass')], true, { name: 'locked', why: 'unjudged' }],
  [[verdict('leak_applied', 'pass')], false, { name: 'ask' }],
])('nothing rolls while a stage stands failed or is not judged', (verdicts, stale, expected) => {
  const static_ = valued(playTo(present('hold_trailer')))
  expect(phase(static_, 99, verdicts, stale)).toMatchObject(expected)
})

const toRoll = stateOf(script, valued(playTo(present('hold_trailer'))))
const blocking = (blocks: Blocked['blocks']): Blocked[] => [
  { inspectionId: 'i', key: 'brake_hose@P', blocks, name: 'Brake hose' },
]

test.each([
  ['start', { name: 'locked', why: 'inspection', blocked: [{ name: 'Brake hose' }] }],
  ['roll', { name: 'locked', why: 'inspection' }],
  ['leave', { name: 'ask' }],
] as const)('a finding that stops %s decides whether a tug test is offered', (blocks, expected) => {
  expect(phaseOf(toRoll, { rest: 99 }, [], false, blocking(blocks))).toMatchObject(expected)
})

test('a standing test goes on under a finding that stops rolling, and the engine is not started under one that stops it', () => {
  const standing = stateOf(script, valued(playTo(present('leak_applied'))))
  expect(phaseOf(standing, { rest: 99 }, [], false, blocking('roll')).name).not.toBe('locked')
  const starting = stateOf(
    script,
    playTo((state) => state.lead.unmet[0] === 'engine_running'),
  )
  expect(movesNext(starting)).toBe(true)
  expect(phaseOf(starting, { rest: 99 }, [], false, blocking('roll'))).toMatchObject({
    need: 'engine_running',
  })
  expect(phaseOf(starting, { rest: 99 }, [], false, blocking('start'))).toMatchObject({ why: 'inspection' })
})

test('lamp and buzzer together are one warning; both knobs are two', () => {
  const warning = { type: 'warning', lamp: null, buzzer: null }
  expect(
    bodiesOf([
      { type: 'warning', lamp: null },
      { type: 'warning', buzzer: null },
    ] as never),
  ).toEqual([{ ...warning, lamp: true, buzzer: true }])
  const knobs = ['tractor', 'trailer'].map((knob) => ({ type: 'knob', knob, state: 'out', cause: 'popped' }))
  expect(bodiesOf(knobs as never)).toHaveLength(2)
})

test('while a verdict is on its way the bar waits', () => {
  const ended = valued(playTo((state) => state.lead.done.at(-1)?.step.step === 'leak_applied'))
  expect(bar(ended, [], 0, { judging: true })).toMatchObject({
    word: 'judging',
    disabled: true,
    act: 'nothing',
  })
})
