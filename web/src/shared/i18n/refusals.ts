/** The server's refusals, by their stable codes: its own sentences are English. */

import i18next from 'i18next'
import type { Key } from './useTranslation'

/** A refusal in the reader's language; the server's own sentence where there are no words of ours for its code. */
export const refusal = (code: string, sentence: string): string =>
  (i18next.getResource(i18next.language, 'refusals', code) as string | undefined) ?? sentence

/** What is said of a mark of which the server said nothing. */
export const unheard = (): string => i18next.t('test.unheard' satisfies Key)
