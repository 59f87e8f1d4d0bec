import { expect, test } from 'vitest'
import cases from './filling.cases.gen.json'
import { listening, offered, type FillMoment } from './filling'

/** What Python offers in each of these moments: the device offers the same. */
test('the device offers what the core offers', () => {
  for (const { moment, left, offered: said, listening: quiet } of cases.cases) {
    expect([moment, offered(cases.filling, moment as FillMoment, left)]).toEqual([moment, said])
    expect([moment, listening(cases.filling, moment as FillMoment)]).toEqual([moment, quiet])
  }
})

test('there are moments in which something is offered, nothing is, and the blast is near', () => {
  const said = cases.cases.map((one) => one.offered)
  expect(said.filter(Boolean).length).toBeGreaterThan(20)
  expect(said.filter((one) => !one).length).toBeGreaterThan(20)
  expect(cases.cases.filter((one) => one.listening).length).toBeGreaterThan(10)
})
