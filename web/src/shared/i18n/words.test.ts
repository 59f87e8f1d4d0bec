import { expect, test } from 'vitest'
import { en } from './en'
import { log as enLog } from './en/log'
import { people as enPeople } from './en/people'
import { learn as enLearn } from './en/learn'
import { practice as enPractice } from './en/practice'
import { inspection as enInspection } from './en/inspection'
import { rules as enRules } from './en/rules'
import { units as enUnits } from './en/units'
import { acts as enActs } from './en/acts'
import { yard as enYard } from './en/yard'
import { es } from './es'
import { log as esLog } from './es/log'
import { people as esPeople } from './es/people'
import { learn as esLearn } from './es/learn'
import { practice as esPractice } from './es/practice'
import { inspection as esInspection } from './es/inspection'
import { rules as esRules } from './es/rules'
import { units as esUnits } from './es/units'
import { acts as esActs } from './es/acts'
import { yard as esYard } from './es/yard'
import { changeLanguage, refusal, startWords } from './index'

type Tree = { [key: string]: string | Tree }

const flat = (tree: Tree, path = ''): [string, string][] =>
  Object.entries(tree).flatMap(([key, value]) =>
    typeof value === 'string' ? [[path + key, value]] : flat(value, `${path}${key}.`),
  )
const placeholders = (text: string) => [...text.matchAll(/\{\{(\w+)\}\}/g)].map(([, name]) => name).sort()

test('both languages hold the same words with the same figures in them', () => {
  const spanish = new Map(
    flat({
      ...es,
      ...esInspection,
      ...esUnits,
      ...esPeople,
      ...esLog,
      ...esRules,
      ...esPractice,
      ...esLearn,
      ...esYard,
      ...esActs,
    } as Tree),
  )
  const english = flat({
    ...en,
    ...enInspection,
    ...enUnits,
    ...enPeople,
    ...enLog,
    ...enRules,
    ...enPractice,
    ...enLearn,
    ...enYard,
    ...enActs,
  } as Tree)
  expect([...spanish.keys()].sort()).toEqual(english.map(([key]) => key).sort())
  for (const [key, text] of english)
    expect([key, placeholders(spanish.get(key) ?? '')]).toEqual([key, placeholders(text)])
})

test('a refusal is said in the reader’s language, or as the server said it', async () => {
  await startWords('en')
  expect(refusal('run_unknown', "This test doesn't exist.")).toBe("This test doesn't exist.")
  await changeLanguage('es')
  expect(refusal('run_unknown', "This test doesn't exist.")).toBe('No existe esa prueba.')
  expect(refusal('csv_broken', 'Line 3 is not CSV.')).toBe('Line 3 is not CSV.')
})
