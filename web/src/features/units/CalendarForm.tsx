import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from 'react-i18next'
import { api, calendarQuery, FLEET_KEYS, need, type Schema } from '../../shared/api'
import { useMay } from '../../shared/session'
import { Button, FormError, SelectField, TextField } from '../../shared/ui'

const EVERY = ['none', 'days', 'months', 'trip'] as const

/** How often the fleet tests and where its days begin; a manager changes it. */
export function CalendarForm() {
  const { data } = useQuery(calendarQuery())
  const may = useMay('setCalendar')
  if (!data || !may) return null
  return <Form key={JSON.stringify(data)} calendar={data} />
}

function Form({ calendar }: { calendar: Schema['CalendarOut'] }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [every, setEvery] = useState<(typeof EVERY)[number]>(calendar.every ?? 'none')
  const [count, setCount] = useState(String(calendar.count))
  const [zone, setZone] = useState(calendar.time_zone)
  const keep = useMutation({
    mutationFn: () => {
      const rule = every === 'none' ? null : every
      const body = { time_zone: zone.trim(), every: rule, count: rule === 'trip' ? 1 : Number(count) || 0 }
      return need(api.PUT('/api/calendar', { body }))
    },
    onSuccess: () =>
      queries.invalidateQueries({ predicate: ({ queryKey }) => FLEET_KEYS.includes(queryKey[0]) }),
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    keep.mutate()
  }
  return (
    <section className="mt-8 max-w-2xl border-t border-line pt-4">
      <h2 className="mb-2 text-lead">{t('workshop.calendar')}</h2>
      <form onSubmit={submit} className="grid items-end gap-4 sm:grid-cols-3">
        <SelectField
          label={t('workshop.every')}
          value={every}
          options={EVERY.map((value) => ({ value, text: t(`workshop.everyOf.${value}`) }))}
          onChange={(event) => setEvery(EVERY.find((one) => one === event.target.value) ?? 'none')}
        />
        {(every === 'days' || every === 'months') && (
          <TextField
            label={t('workshop.count')}
            value={count}
            inputMode="numeric"
            maxLength={4}
            onChange={(event) => setCount(event.target.value)}
          />
        )}
        <TextField
          label={t('workshop.zone')}
          value={zone}
          maxLength={60}
          onChange={(event) => setZone(event.target.value)}
        />
        <div className="sm:col-span-3">
          <FormError error={keep.error} />
          {keep.isSuccess && <p role="status">{t('workshop.kept')}</p>}
          <Button type="submit" disabled={keep.isPending}>
            {t('workshop.keep')}
          </Button>
        </div>
      </form>
    </section>
  )
}
