import type { FirstWords } from './en'
import { base } from './es/base'
import { setup } from './es/setup'
import { test } from './es/test'
import { report } from './es/report'

/** Every word of the interface in Spanish. */
export const es: FirstWords = {
  ...base,
  ...setup,
  ...test,
  ...report,
}
