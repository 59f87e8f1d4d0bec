import { createContext, use } from 'react'
import { type PressureUnit, pressureUnits } from '../figures/format'
import { languages, type Language } from '../i18n'

export const lights = ['auto', 'day', 'night'] as const
export type Light = (typeof lights)[number]

const switches = ['on', 'off'] as const
type Switch = (typeof switches)[number]
const callLanguages = ['en', 'es', 'both'] as const
type CallLanguage = (typeof callLanguages)[number]

export interface Preferences {
  language: Language
  unit: PressureUnit
  light: Light
  /** Tones in a test. */
  tones: Switch
  /** Steps spoken by a voice of this device. */
  speech: Switch
  /** What is to be said aloud is shown in this language, or in both. */
  calls: CallLanguage
}

const KEY = 'lowhiss.preferences'

const oneOf = <T extends string>(allowed: readonly T[], value: unknown, otherwise: T): T =>
  allowed.find((item) => item === value) ?? otherwise

export function readPreferences(): Preferences {
  let kept: Partial<Record<keyof Preferences, unknown>> = {}
  try {
    kept = JSON.parse(localStorage.getItem(KEY) ?? '{}') as typeof kept
  } catch {
    // what cannot be read is as good as never set
  }
  const language = oneOf(languages, kept.language, navigator.language.startsWith('es') ? 'es' : 'en')
  return {
    language,
    unit: oneOf(pressureUnits, kept.unit, 'psi'),
    light: oneOf(lights, kept.light, 'auto'),
    tones: oneOf(switches, kept.tones, 'on'),
    speech: oneOf(switches, kept.speech, 'off'),
    calls: oneOf(callLanguages, kept.calls, language),
  }
}

export const savePreferences = (preferences: Preferences): void =>
  localStorage.setItem(KEY, JSON.stringify(preferences))

export function applyLight(light: Light): void {
  const dark =
    light === 'night' || (light === 'auto' && window.matchMedia('(prefers-color-scheme: dark)').matches)
  document.documentElement.dataset.theme = dark ? 'night' : 'day'
}

interface Setting {
  preferences: Preferences
  change: (part: Partial<Preferences>) => void
}

export const PreferencesContext = createContext<Setting | null>(null)

export function usePreferences(): Setting {
  const setting = use(PreferencesContext)
  if (!setting) throw new Error('no preferences around this screen')
  return setting
}
