/** Which runs, as it stands in the address: a list can be kept, sent and opened again. */

import type { LogWanted } from './queries'

const TEXTS = [
  'outcome',
  'unit',
  'trailer',
  'driver',
  'person',
  'purpose',
  'rules',
  'quantity',
  'finding',
] as const
const DAYS = ['since', 'until'] as const
const NUMBERS = ['at_least', 'at_most'] as const
/** Yes or no, each under its own word of the log. */
export const FLAGS = ['sealed', 'recorded'] as const

export type Filter = (typeof TEXTS | typeof DAYS | typeof NUMBERS | typeof FLAGS)[number]
export const FILTERS: readonly Filter[] = [...TEXTS, ...DAYS, ...NUMBERS, ...FLAGS]

export const COLUMNS = ['driver', 'full', 'held', 'lost', 'purpose', 'rules'] as const
export type Column = (typeof COLUMNS)[number]
const USUAL: readonly Column[] = ['driver', 'full', 'held', 'lost']

/** What the server is asked, from the address. Days are whole: the last of them counts. */
export function wantedOf(params: URLSearchParams): LogWanted {
  const given = (name: string) => params.get(name) ?? undefined
  const number = (name: string) => (given(name) ? Number(given(name)) : undefined)
  return {
    search: given('q') ?? '',
    ...Object.fromEntries(TEXTS.map((name) => [name, given(name)])),
    since: given('since') && dayStart(given('since') as string, 0),
    until: given('until') && dayStart(given('until') as string, 1),
    ...Object.fromEntries(NUMBERS.map((name) => [name, number(name)])),
    ...Object.fromEntries(FLAGS.map((name) => [name, params.has(name) || undefined])),
  }
}

function dayStart(day: string, later: number): string {
  const at = new Date(`${day}T00:00`)
  at.setDate(at.getDate() + later)
  return at.toISOString()
}

export const columnsOf = (params: URLSearchParams): readonly Column[] => {
  const chosen = params.get('columns')
  return chosen === null ? USUAL : COLUMNS.filter((column) => chosen.split(' ').includes(column))
}

/** The address without where one is in it: what is kept as a list. */
export function queryOf(params: URLSearchParams): string {
  const kept = new URLSearchParams(params)
  kept.delete('before')
  return kept.toString()
}
