import i18next from 'i18next'
import { initReactI18next } from 'react-i18next'
import type { FirstWords } from './en'

export { refusal, unheard } from './refusals'
export type { Words } from './en'

export const languages = ['en', 'es'] as const
export type Language = (typeof languages)[number]

// a type, not an interface: the library wants one that may have more
type Book = { translation: FirstWords; refusals: Record<string, string> }

/** Only the reader's own language is loaded; the other is on the device too, for when it is asked for. */
const books: Record<Language, () => Promise<Book>> = {
  en: async () => ({ translation: (await import('./en')).en, refusals: {} }),
  es: async () => {
    const [{ es }, { refusals }] = await Promise.all([import('./es'), import('./es/refusals')])
    return { translation: es, refusals }
  },
}

/** Words of some screens only: fetched with them, in whichever language is read. */
const MORE = {
  log: {
    en: async () => (await import('./en/log')).log,
    es: async () => (await import('./es/log')).log,
  },
  people: {
    en: async () => (await import('./en/people')).people,
    es: async () => (await import('./es/people')).people,
  },
  units: {
    en: async () => (await import('./en/units')).units,
    es: async () => (await import('./es/units')).units,
  },
  rules: {
    en: async () => (await import('./en/rules')).rules,
    es: async () => (await import('./es/rules')).rules,
  },
  yard: {
    en: async () => (await import('./en/yard')).yard,
    es: async () => (await import('./es/yard')).yard,
  },
  acts: {
    en: async () => (await import('./en/acts')).acts,
    es: async () => (await import('./es/acts')).acts,
  },
  practice: {
    en: async () => (await import('./en/practice')).practice,
    es: async () => (await import('./es/practice')).practice,
  },
  learn: {
    en: async () => (await import('./en/learn')).learn,
    es: async () => (await import('./es/learn')).learn,
  },
  inspection: {
    en: async () => (await import('./en/inspection')).inspection,
    es: async () => (await import('./es/inspection')).inspection,
  },
} satisfies Record<string, Record<Language, () => Promise<object>>>
const wanted = new Set<keyof typeof MORE>()
/** Which of them are there, by language. */
const known = new Set<string>()

/** Know the words of a screen before it is drawn. Rejects where they cannot be loaded. */
export async function needWords(...names: (keyof typeof MORE)[]): Promise<void> {
  for (const name of names) wanted.add(name)
  await addMore(i18next.language as Language)
}

async function addMore(language: Language): Promise<void> {
  for (const name of wanted) {
    if (known.has(`${language} ${name}`)) continue
    i18next.addResourceBundle(language, 'translation', await MORE[name][language](), true)
    known.add(`${language} ${name}`)
  }
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
  await addMore(language)
  await i18next.changeLanguage(language)
}

export { i18next }
