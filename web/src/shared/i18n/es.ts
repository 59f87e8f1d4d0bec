import type { FirstWords } from './en'
import { base } from './es/base'
import { setup } from './es/setup'
import { test } from './es/test'
import { sheet } from './es/sheet'

/** Every word of the interface in Spanish. */
export const es: FirstWords = {
  ...base,
  ...setup,
  ...test,
  ...sheet,
}
