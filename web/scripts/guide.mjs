/** Answers for the device's guide: a line of `{order, walks}` in, a line of answers out, each as tests/walks.py words it. */

import { readFileSync } from 'node:fs'
import process from 'node:process'
import { createInterface } from 'node:readline'
import ts from 'typescript'

const source = readFileSync(new URL('../src/run/guide.ts', import.meta.url), 'utf8')
const { outputText } = ts.transpileModule(source, {
  compilerOptions: { module: 'ESNext', target: 'ES2022', verbatimModuleSyntax: true },
})
const { leadOf } = await import(`data:text/javascript,${encodeURIComponent(outputText)}`)

const answer = ({ queue, done, skipped, unmet, prompts, missing, says, untouched, turned, fresh }) => [
  queue.map(({ step, index }) => `${step.step}/${index ?? '-'}`).join(' '),
  `${done.length} done, skipped ${skipped.map(({ step }) => step.step).join(' ') || 'none'}`,
  unmet.join(' '),
  `${prompts.map(({ name }) => name).join(' ')} lacking ${missing.length}`,
  says.join(' '),
  `${untouched ? 'untouched' : 'begun'}${turned ? ' turned' : ''}${fresh ? ' fresh' : ''}`,
]

for await (const line of createInterface({ input: process.stdin })) {
  const { order, walks } = JSON.parse(line)
  const answers = walks.map(({ events, looks }) =>
    looks.map((n) => answer(leadOf(order, events.slice(0, n)))),
  )
  console.log(JSON.stringify(answers))
}
