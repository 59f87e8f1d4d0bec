import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, FLEET_KEYS, need, type Schema } from '../../shared/api'
import { useMay } from '../../shared/session'
import { Button, FormError } from '../../shared/ui'
import { bodyOf, DueFields, type Due } from './DueFields'

/** How often this unit is tested, where that is not as often as the fleet; a manager changes it. */
export function UnitDue({ status }: { status: Schema['UnitStatusOut'] }) {
  const { t } = useTranslation()
  const may = useMay('setUnitDue')
  const queries = useQueryClient()
  const [due, setDue] = useState<Due>({
    every: (status.own_rule && status.every) || 'none',
    count: String(status.own_rule ? status.count : 1),
  })
  const keep = useMutation({
    mutationFn: () => {
      const params = { path: { unit_id: status.unit_id } }
      return need(api.PUT('/api/units/{unit_id}/due', { params, body: bodyOf(due) }))
    },
    onSuccess: () =>
      queries.invalidateQueries({ predicate: ({ queryKey }) => FLEET_KEYS.includes(queryKey[0]) }),
  })
  if (!may) return null
  const submit = (event: FormEvent) => {
    event.preventDefault()
    keep.mutate()
  }
  return (
    <section>
      <h2 className="mb-2 text-lead">{t('units.dueTitle')}</h2>
      <form onSubmit={submit} className="grid gap-3">
        <DueFields {...{ due }} none={t('units.asTheFleet')} onChange={setDue} />
        <FormError error={keep.error} />
        {keep.isSuccess && <p role="status">{t('workshop.kept')}</p>}
        <Button type="submit" disabled={keep.isPending} className="justify-self-start">
          {t('workshop.keep')}
        </Button>
      </form>
    </section>
  )
}
