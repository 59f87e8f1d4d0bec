import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { fromPsi, inUnit, toPsi, unitLabel, type PressureUnit } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { stepOf, type Mark, type Needle, type Script, type TestState } from '../../run'

/** Further from where needles usually stand is asked about: a slip of the thumb is likelier. Never judged here. */
const FAR_PSI = 30

export interface Readings {
  group: Mark[]
  /** In the reader's unit; absent while a tape is untouched. */
  values: Partial<Record<Needle, number>>
  late: boolean
  /** Where a needle's tape begins, in psi. */
  ghostPsi: (needle: Needle) => number
  complete: boolean
  /** A question about what was set, to be answered by accepting once more. */
  asking: string | null
  set: (needle: Needle, value: number) => void
  setLate: (late: boolean) => void
  accept: () => void
}

interface Draft {
  id: string
  values: Readings['values']
  late: boolean
  asking: string | null
}

/** A reading's field, in the unit in which it was entered: that is how it is kept. */
const readingKey = (needle: Needle, unit: PressureUnit): string => `${needle}_${unit}`

/** Whether the needles fall towards a mark. */
const falls = (script: Script, { stage, point }: Mark): boolean =>
  stepOf(script, stage)?.prompts.some((prompt) => prompt.name === point && prompt.falls) ?? false

/** The numbers being set for one group of marks. */
export function useReadings(
  script: Script,
  state: TestState,
  group: Mark[] | undefined,
  onSet: (group: Mark[], numbers: Record<string, number>, late: boolean) => void,
): Readings | null {
  const { t } = useTranslation()
  const { unit } = useFigures()
  const [draft, setDraft] = useState<Draft>()
  const mark = group?.[0]
  if (!group || !mark) return null

  const empty: Draft = { id: mark.id, values: {}, late: false, asking: null }
  const mine = draft?.id === mark.id ? draft : empty
  const complete = script.needles.every((needle) => mine.values[needle] !== undefined)
  const before = state.marks.slice(
    0,
    state.marks.findIndex(({ id }) => id === mark.id),
  )
  const beforePsi = (needle: Needle): number | null => {
    const known = mark.point === 'end' ? before.filter(({ point }) => point === 'start') : before
    return known.map((one) => psiOf(one, needle)).findLast((psi) => psi !== null) ?? null
  }
  const usualPsi = (needle: Needle): number =>
    mark.point === 'end' ? (beforePsi(needle) ?? 100) : (script.usual_psi[mark.point] ?? 100)

  const doubt = (): string | null => {
    const shown = (psi: number) => `${inUnit(fromPsi(psi, unit), unit)} ${unitLabel[unit]}`
    for (const needle of script.needles) {
      const value = mine.values[needle]
      if (value === undefined) continue
      const name = t(`test.${script.needles.length === 1 ? 'single' : needle}`)
      const psi = toPsi(value, unit)
      const last = beforePsi(needle)
      const higher = last !== null && psi - last > 1e-6
      if (mark.point === 'end' && higher)
        return t('test.higherThanStart', { needle: name, start: shown(last) })
      if (falls(script, mark) && higher) {
        return t('test.higherThanBefore', { needle: name, value: shown(psi), before: shown(last) })
      }
      if (Math.abs(psi - usualPsi(needle)) > FAR_PSI) {
        return t('test.implausible', { needle: name, value: shown(psi), usual: shown(usualPsi(needle)) })
      }
    }
    return null
  }

  return {
    group,
    values: mine.values,
    late: mine.late,
    ghostPsi: usualPsi,
    complete,
    asking: mine.asking,
    set: (needle, value) => setDraft({ ...mine, values: { ...mine.values, [needle]: value }, asking: null }),
    setLate: (late) => setDraft({ ...mine, late }),
    accept: () => {
      if (!complete) return
      const question = mine.asking === null ? doubt() : null
      if (question) return setDraft({ ...mine, asking: question })
      const entered = script.needles.map((needle) => [readingKey(needle, unit), mine.values[needle] ?? 0])
      onSet(group, Object.fromEntries(entered) as Record<string, number>, mine.late)
    },
  }
}

/** A needle's number at a mark, in psi; null while it is not set. */
export function psiOf(mark: Pick<Mark, 'numbers'>, needle: string): number | null {
  const found = Object.entries(mark.numbers).find(([key]) => key.startsWith(needle))
  if (!found) return null
  const [key, value] = found
  return toPsi(value, key.split('_')[1] as PressureUnit)
}

/** The lower needle's number at a mark, in psi. */
export function lowestPsi(mark: Pick<Mark, 'numbers'> | undefined): number | null {
  const values = ['primary', 'secondary'].flatMap((needle) => (mark ? (psiOf(mark, needle) ?? []) : []))
  return values.length ? Math.min(...values) : null
}

/** A mark's numbers as they were entered, with their unit. */
export function enteredText(mark: Pick<Mark, 'numbers'>): string {
  const numbers = Object.entries(mark.numbers)
  const unit = numbers[0]?.[0].split('_')[1] as PressureUnit | undefined
  if (!unit) return ''
  return `${numbers.map(([, value]) => inUnit(value, unit)).join(' · ')} ${unitLabel[unit]}`
}
