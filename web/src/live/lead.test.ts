import { expect, test } from 'vitest'
import { cases } from './guide.cases.gen.json'
import { leadOf, type Body, type Lead, type Order } from './lead'

/** Where a run stands, in the words that both sides compare. */
function answer({ queue, done, skipped, unmet, strikes, missing, says, untouched }: Lead): string[] {
  return [
    queue.map(({ step, index }) => `${step.step}/${index ?? '-'}`).join(' '),
    `${done.length} done, skipped ${skipped.map(({ step }) => step.step).join(' ') || 'none'}`,
    unmet.join(' '),
    `${strikes.map(({ name }) => name).join(' ')} lacking ${missing.length}`,
    says.join(' '),
    untouched ? 'untouched' : 'begun',
  ]
}

test.each(cases)('the device leads as the core does: $name', ({ order, events, answers }) => {
  const given = answers.map((_, n) => answer(leadOf(order as unknown as Order, events.slice(0, n) as Body[])))
  expect(given).toEqual(answers)
})
