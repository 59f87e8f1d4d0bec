/** A draft as it is being written: the same tables as in the file that the command line takes. */

import type { Schema } from '../../shared/api'

export type Edition = Schema['EditionOut']
export type Row = Schema['RowOut']
export type Cell = Schema['CellOut']
export type Table = Record<string, unknown>

export interface Bound {
  at_least?: number
  at_most?: number
  above?: number
  below?: number
  of?: string
  times_reservoir_ratio?: boolean
  cap_share_of_cut_out?: number
}

export interface Limit extends Table {
  key: string
  stage: Row['stage']
  unit: Row['unit']
  bounds: Bound[]
  source: { document: string; standing: string; clause?: string }
  words?: { en: string; es: string }
  when?: Table
  window_psi?: number[]
  hold_s?: number
  reason?: string
}

export const FLOORS = ['at_least', 'above'] as const
export const CEILINGS = ['at_most', 'below'] as const
export type Comparator = (typeof FLOORS)[number] | (typeof CEILINGS)[number]
export type Side = 'floor' | 'ceiling'

export const comparatorOf = (bound: Bound): Comparator =>
  [...FLOORS, ...CEILINGS].find((name) => bound[name] !== undefined) ?? 'at_most'
const sideOf = (bound: Bound): Side =>
  (FLOORS as readonly string[]).includes(comparatorOf(bound)) ? 'floor' : 'ceiling'
export const valueOf = (bound: Bound): number => bound[comparatorOf(bound)] ?? 0

/** A copy without some of its fields. */
export function omit<T extends object>(from: T, ...names: string[]): Partial<T> {
  return Object.fromEntries(Object.entries(from).filter(([name]) => !names.includes(name))) as Partial<T>
}

/** The bound of one side; the first where there are several, such as a floor of its own and one below the cut-out. */
export const boundAt = (limit: Limit, side: Side): Bound | undefined =>
  limit.bounds.find((bound) => sideOf(bound) === side)

/** The limit with another bound on one side, none where it is left out; whatever else the bound says is kept. */
export function withBound(
  limit: Limit,
  side: Side,
  next: { comparator: Comparator; value: number } | null,
): Limit {
  const old = boundAt(limit, side)
  const kept = old ? omit(old, ...FLOORS, ...CEILINGS) : {}
  const changed = next && ({ [next.comparator]: next.value, ...kept } as Bound)
  const bounds = old
    ? limit.bounds.flatMap((bound) => (bound === old ? (changed ? [changed] : []) : [bound]))
    : changed
      ? side === 'floor'
        ? [changed, ...limit.bounds]
        : [...limit.bounds, changed]
      : limit.bounds
  return { ...limit, bounds }
}

const ownLimits = (table: Table): Limit[] => (table.limit as Limit[] | undefined) ?? []

/** Whether a draft has this limit of its own. */
export const isOwn = (table: Table, key: string): boolean =>
  ownLimits(table).some((limit) => limit.key === key)

/** The draft with a limit of its own, in place of its parent's or of the one it had. */
export function withLimit(table: Table, limit: Limit): Table {
  const source = { document: limit.source.document, standing: 'fleet', ...clause(limit) }
  const own = { ...limit, source }
  const limits = ownLimits(table)
  const there = limits.some(({ key }) => key === limit.key)
  return {
    ...table,
    limit: there ? limits.map((one) => (one.key === limit.key ? own : one)) : [...limits, own],
  }
}

const clause = ({ source }: Limit) => (source.clause ? { clause: source.clause } : {})

/** The draft without a limit of its own: as its parent again. */
export const withoutLimit = (table: Table, key: string): Table => ({
  ...table,
  limit: ownLimits(table).filter((limit) => limit.key !== key),
})

/** A limit that becomes the fleet's: the sentence and source of the one it came from are not its own. */
export function asOwn(limit: Limit, document: string): Limit {
  return { ...omit(limit, 'words', 'reason'), source: { document, standing: 'fleet' } } as Limit
}

/** A short name from a long one: letters, digits and dashes. */
export const slugOf = (name: string): string =>
  name
    .normalize('NFKD')
    .replace(/[^\p{L}\p{N}]+/gu, '-')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/^-+|-+$/g, '')
    .toLowerCase()
    .slice(0, 40)

/** The latest version of each name, drafts first where there is one. */
export function latestOf(editions: Edition[], kind: Edition['kind']): Edition[] {
  const found = new Map<string, Edition>()
  for (const one of editions) if (one.kind === kind && !found.has(one.name)) found.set(one.name, one)
  return [...found.values()]
}

export const refOf = ({ name, version }: Pick<Edition, 'name' | 'version'>): string => `${name}@${version}`
