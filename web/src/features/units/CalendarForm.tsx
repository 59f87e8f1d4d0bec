import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, calendarQuery, FLEET_KEYS, need, type Schema } from '../../shared/api'
import { useMay } from '../../shared/session'
import { Button, FormError, TextField } from '../../shared/ui'
import { bodyOf, DueFields, type Due } from './DueFields'

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
  const [due, setDue] = useState<Due>({ every: calendar.every ?? 'none', count: String(calendar.count) })
  const [zone, setZone] = useState(calendar.time_zone)
  const keep = useMutation({
    mutationFn: () => need(api.PUT('/api/calendar', { body: { time_zone: zone.trim(), ...bodyOf(due) } })),
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
        <DueFields {...{ due }} none={t('workshop.everyOf.none')} onChange={setDue} />
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
