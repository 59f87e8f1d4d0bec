import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { fromPsi, inUnit, toPsi, unitLabel, type PressureUnit } from '../../figures/format'
import { useFigures } from '../../figures/useFigures'
import { isSet, type Mark, type Needle, type Progress, type Script } from '../../live'
import { readingKey } from './events'

/** A loss this large is asked about: a slip of the thumb is likelier. Never judged here. */
const LARGE_DROP_PSI = 30

export interface Readings {
  point: 'start' | 'end'
  mark: Mark
  /** In the reader's unit; absent while a tape is untouched. */
  values: Partial<Record<Needle, number>>
  /** Where each tape begins, in psi: the needle's start, when there is one. */
  ghostPsi: (needle: Needle) => number | null
  complete: boolean
  /** A question about what was set, to be answered by accepting once more. */
  asking: string | null
  set: (needle: Needle, value: number) => void
  accept: () => void
}

/** The numbers of the mark that waits for them: the end first, for those needles are still there to be read. */
export function useReadings(
  script: Script,
  { start, end }: Progress,
  onSet: (markId: string, numbers: Record<string, number>) => void,
): Readings | null {
  const { t } = useTranslation()
  const { unit } = useFigures()
  const [draft, setDraft] = useState<{ markId: string; values: Readings['values']; asking: string | null }>()
  const point = end && !isSet(script, end) ? 'end' : start && !isSet(script, start) ? 'start' : null
  const mark = point === 'end' ? end : start
  if (!point || !mark) return null

  const mine = draft?.markId === mark.id ? draft : undefined
  const values = mine?.values ?? {}
  const asking = mine?.asking ?? null
  const complete = script.needles.every((needle) => values[needle] !== undefined)
  const ghostPsi = (needle: Needle) => (start && point === 'end' ? numberOf(start, needle) : null)

  const doubt = (): string | null => {
    const shown = (psi: number) => `${inUnit(fromPsi(psi, unit), unit)} ${unitLabel[unit]}`
    for (const needle of script.needles) {
      const before = ghostPsi(needle)
      const value = values[needle]
      if (before === null || value === undefined) continue
      const name = t(`test.${script.needles.length === 1 ? 'single' : needle}`)
      const drop = before - toPsi(value, unit)
      if (drop < -1e-6) return t('test.higherThanStart', { needle: name, start: shown(before) })
      if (drop > LARGE_DROP_PSI) {
        return t('test.implausible', { needle: name, value: inUnit(value, unit), drop: shown(drop) })
      }
    }
    return null
  }

  return {
    point,
    mark,
    values,
    ghostPsi,
    complete,
    asking,
    set: (needle, value) =>
      setDraft({ markId: mark.id, values: { ...values, [needle]: value }, asking: null }),
    accept: () => {
      if (!complete) return
      const question = asking === null ? doubt() : null
      if (question) setDraft({ markId: mark.id, values, asking: question })
      else {
        onSet(
          mark.id,
          Object.fromEntries(script.needles.map((needle) => [readingKey(needle, unit), values[needle] ?? 0])),
        )
      }
    },
  }
}

function numberOf(mark: Mark, needle: Needle): number | null {
  const found = Object.entries(mark.numbers).find(([key]) => key.startsWith(needle))
  if (!found) return null
  const [key, value] = found
  return toPsi(value, key.split('_')[1] as PressureUnit)
}
