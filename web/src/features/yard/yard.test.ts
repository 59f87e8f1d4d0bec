import { expect, test } from 'vitest'
import { dueGroup, onYard, whyItStays, type Unit } from './yard'

const NOW = Date.parse('2026-11-27T12:00:00Z')
const DAY_MS = 86_400_000

type Status = NonNullable<Unit['status']>

const unit = (name: string, status: Partial<Status> = {}, more: Partial<Unit> = {}): Unit =>
  ({
    ...{ id: name, name, trailers: [], latest: null },
    ...more,
    status: { status: 'fit', stays: false, holds: [], defects: [], due_at: null, ...status },
  }) as unknown as Unit
const hold = (stage: string | null, text = 'why') => ({
  stage,
  text,
  by: 'Kit',
  ways: [{ way: 'repair', text: 'mend' }],
})
const held = {
  status: 'on_hold',
  stays: true,
  holds: [hold('leak_applied')],
} as unknown as Partial<Status>

test('what stays stands first, in the order of the server', () => {
  const units = [unit('a'), unit('b', held), unit('c'), unit('d', { status: 'overdue', stays: true })]
  expect(onYard(units, {}).map(({ unit: { name }, stays }) => [name, stays])).toEqual([
    ['b', true],
    ['d', true],
    ['a', false],
    ['c', false],
  ])
})

test('what failed on this device a moment ago stays too, each stage told once', () => {
  const [first] = onYard([unit('a'), unit('b', held)], { a: ['cut_out'], b: ['leak_applied', 'cut_in'] })
  expect(first).toMatchObject({ stays: true, failed: ['cut_out'] })
  const [, second] = onYard([unit('a'), unit('b', held)], { a: ['cut_out'], b: ['leak_applied', 'cut_in'] })
  expect(second?.failed).toEqual(['leak_applied', 'cut_in'])
})

test('a hold by hand fails no stage', () => {
  const [one] = onYard([unit('a', { stays: true, holds: [hold(null)] } as unknown as Partial<Status>)], {})
  expect(one?.failed).toEqual([])
})

test('who drove a unit last sees it first among those that stand alike', () => {
  const driven = (name: string, driver: string, status: Partial<Status> = {}) =>
    unit(name, status, { latest: { driver } as Unit['latest'] })
  const units = [driven('a', 'Kit'), driven('b', 'Tove'), driven('c', 'Kit', held), driven('d', 'Tove', held)]
  const order = (driver?: string) => onYard(units, {}, driver).map(({ unit: { name } }) => name)
  expect(order('Tove')).toEqual(['d', 'c', 'b', 'a'])
  expect(order()).toEqual(['c', 'd', 'a', 'b'])
})

test('it is found by its name, its trailers and who drove it last', () => {
  const latest = { driver: 'Tove Lind' } as Unit['latest']
  const [one] = onYard([unit('MV-12', {}, { trailers: ['T-04'], latest })], {})
  for (const word of ['mv-12', 't-04', 'tove']) expect(one?.words).toContain(word)
})

test.each([
  ['due', '2026-11-28T07:00:00Z', 'soon'],
  ['fit', new Date(NOW + 7 * DAY_MS).toISOString(), 'week'],
  ['fit', new Date(NOW + 8 * DAY_MS).toISOString(), 'month'],
  ['fit', new Date(NOW + 32 * DAY_MS).toISOString(), 'later'],
  ['fit', null, 'none'],
])('%s until %s is %s', (status, due_at, group) => {
  const [one] = onYard([unit('a', { status, due_at } as Partial<Status>)], {})
  expect(one && dueGroup(one, NOW)).toBe(group)
})

test('why it stays is the server’s word: a hold before a defect, and only a defect that keeps it here', () => {
  const defect = (consequence: string) => ({ consequence, text: consequence, by: 'Ines', state_text: 'open' })
  const why = (part: object) =>
    onYard([unit('a', part as Partial<Status>)], {})
      .map((one) => whyItStays(one).text)
      .join()
  expect(why({ ...held, defects: [defect('stay')] })).toBe('why')
  expect(why({ stays: true, defects: [defect('note'), defect('stay')] })).toBe('stay')
  expect(why({ stays: true, defects: [defect('finish')] })).toBe('')
})
