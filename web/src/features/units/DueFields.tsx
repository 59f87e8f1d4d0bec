import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { SelectField, TextField } from '../../shared/ui'

type Every = NonNullable<Schema['CalendarOut']['every']> | 'none'
const EVERY: readonly Every[] = ['none', 'days', 'months', 'trip']

export interface Due {
  every: Every
  count: string
}

interface DueFieldsProps {
  due: Due
  /** What no rule of its own means. */
  none: string
  onChange: (due: Due) => void
}

/** How often something is tested. */
export function DueFields({ due, none, onChange }: DueFieldsProps) {
  const { t } = useTranslation()
  const { every, count } = due
  return (
    <>
      <SelectField
        label={t('workshop.every')}
        value={every}
        options={EVERY.map((value) => ({
          value,
          text: value === 'none' ? none : t(`workshop.everyOf.${value}`),
        }))}
        onChange={(event) =>
          onChange({ ...due, every: EVERY.find((one) => one === event.target.value) ?? 'none' })
        }
      />
      {(every === 'days' || every === 'months') && (
        <TextField
          label={t('workshop.count')}
          value={count}
          inputMode="numeric"
          maxLength={4}
          onChange={(event) => onChange({ ...due, count: event.target.value })}
        />
      )}
    </>
  )
}

/** As the server takes it. */
export const bodyOf = ({ every, count }: Due): Schema['DueBody'] => ({
  every: every === 'none' ? null : every,
  count: every === 'days' || every === 'months' ? Number(count) || 0 : 1,
})
