import i18next from 'i18next'
import { initReactI18next } from 'react-i18next'
import type { Words } from './en'

export { refusal } from './refusals'
export type { Words } from './en'

export const languages = ['en', 'es'] as const
export type Language = (typeof languages)[number]

declare module 'i18next' {
  interface CustomTypeOptions {
    resources: { translation: Words }
  }
}

// a type, not an interface: the library wants one that may have more
type Book = { translation: Words; refusals: Record<string, string> }

/** Only the reader's own language is loaded; the other is on the device too, for when it is asked for. */
const books: Record<Language, () => Promise<Book>> = {
  en: async () => ({ translation: (await import('./en')).en, refusals: {} }),
  es: async () => {
    const [{ es }, { refusals }] = await Promise.all([import('./es'), import('./es/refusals')])
    return { translation: es, refusals }
  },
}

/** Begin in a language. Rejects where its words cannot be loaded. */
export async function startWords(language: Language): Promise<void> {
  await i18next.use(initReactI18next).init({
    lng: language,
    resources: { [language]: await books[language]() },
    interpolation: { escapeValue: false }, // React escapes
    initAsync: false,
  })
}

/** Change to a language; one whose words cannot be loaded leaves the words as they are. */
export async function changeLanguage(language: Language): Promise<void> {
  if (!i18next.hasResourceBundle(language, 'translation')) {
    for (const [name, words] of Object.entries(await books[language]())) {
      i18next.addResourceBundle(language, name, words)
    }
  }
  await i18next.changeLanguage(language)
}

export { i18next }
