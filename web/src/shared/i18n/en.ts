import { base } from './en/base'
import { setup } from './en/setup'
import { test } from './en/test'
import type { people } from './en/people'
import type { units } from './en/units'
import type { log } from './en/log'
import { report } from './en/report'
import type { learn } from './en/learn'
import type { practice } from './en/practice'
import type { inspection } from './en/inspection'
import type { acts } from './en/acts'
import type { rules } from './en/rules'
import type { yard } from './en/yard'

/** Every word of the interface in English; the Spanish book must have the same keys. */
export const en = { ...base, ...setup, ...test, ...report }

export type FirstWords = typeof en
/** With those that only some screens fetch. */
export type Words = FirstWords &
  typeof inspection &
  typeof units &
  typeof people &
  typeof log &
  typeof rules &
  typeof practice &
  typeof learn &
  typeof yard &
  typeof acts
