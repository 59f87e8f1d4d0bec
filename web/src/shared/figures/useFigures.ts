import { useTranslation } from '../i18n/useTranslation'
import { usePreferences } from '../preferences'
import { amount, reading, withUnit } from './format'

/** The formatter in this reader's unit and language. */
export function useFigures() {
  const { preferences } = usePreferences()
  const { i18n } = useTranslation()
  const { unit } = preferences
  return {
    unit,
    language: preferences.language,
    reading: (psi: number) => reading(psi, unit),
    pressure: (psi: number) => withUnit(reading(psi, unit), unit),
    amount: (psi: number) => amount(psi, unit),
    difference: (psi: number) => withUnit(amount(psi, unit), unit),
    when: (iso: string) => when(new Date(iso), i18n.language),
    date: (iso: string) => dateAndTime(new Date(iso), i18n.language),
    day: (iso: string) =>
      new Date(iso).toLocaleDateString(i18n.language, { day: 'numeric', month: 'long', year: 'numeric' }),
    shortDay: (iso: string) =>
      new Date(iso).toLocaleDateString(i18n.language, { day: 'numeric', month: 'short', year: '2-digit' }),
    /** The last day before a moment: what is good until midnight ends the day before. */
    lastDay: (iso: string) =>
      new Date(Date.parse(iso) - 1000).toLocaleDateString(i18n.language, {
        weekday: 'short',
        day: 'numeric',
        month: 'short',
      }),
    time: (iso: string) => timeOfDay(new Date(iso), i18n.language),
    seconds: (value: number) => value.toLocaleString(i18n.language, { maximumFractionDigits: 1 }),
  }
}

const timeOfDay = (date: Date, language: string): string =>
  date.toLocaleTimeString(language, { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' })

/** A day that stays right on paper, with the time of day. */
export const dateAndTime = (date: Date, language: string): string =>
  `${date.toLocaleDateString(language, { day: 'numeric', month: 'long', year: 'numeric' })} ${timeOfDay(date, language)}`

/** Today and yesterday by name, then the weekday, then the date; always with the time of day. */
export function when(date: Date, language: string, today = new Date()): string {
  const time = timeOfDay(date, language)
  const midnight = (day: Date) => new Date(day.getFullYear(), day.getMonth(), day.getDate()).getTime()
  const days = Math.round((midnight(today) - midnight(date)) / 86_400_000)
  if (days === 0 || days === 1) {
    const name = new Intl.RelativeTimeFormat(language, { numeric: 'auto' }).format(-days, 'day')
    return `${name} ${time}`
  }
  const options: Intl.DateTimeFormatOptions =
    days > 1 && days < 7
      ? { weekday: 'short' }
      : { day: 'numeric', month: 'short', year: days > 300 ? 'numeric' : undefined }
  return `${date.toLocaleDateString(language, options)} ${time}`
}
