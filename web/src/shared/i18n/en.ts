import { base } from './en/base'
import { yard } from './en/yard'
import { setup } from './en/setup'
import { test } from './en/test'
import { people } from './en/people'
import { units } from './en/units'
import { log } from './en/log'
import { sheet } from './en/sheet'
import { acts } from './en/acts'

/** Every word of the interface in English; the Spanish book must have the same keys. */
export const en = { ...base, ...yard, ...setup, ...test, ...people, ...units, ...log, ...sheet, ...acts }

export type Words = typeof en
