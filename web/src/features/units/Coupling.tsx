import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, trailersQuery, type Schema } from '../../shared/api'
import { Button, FormError } from '../../shared/ui'

const MOST = 3

/** Which trailers a tractor pulls today, the first directly behind it. */
export function Coupling({ unit }: { unit: Schema['UnitOut'] }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const { data = [] } = useQuery(trailersQuery())
  const [ids, setIds] = useState(unit.trailer_ids)
  const couple = useMutation({
    mutationFn: () =>
      need(
        api.PUT('/api/units/{unit_id}/coupling', {
          params: { path: { unit_id: unit.id } },
          body: { version: unit.version, trailer_ids: ids },
        }),
      ),
    onSuccess: () =>
      queries.invalidateQueries({
        predicate: ({ queryKey }) => ['unit', 'units', 'trailers'].includes(String(queryKey[0])),
      }),
  })
  const free = data.filter(
    ({ id, retired, coupled_to }) =>
      !retired && !ids.includes(id) && (!coupled_to || coupled_to === unit.name),
  )
  const changed = ids.join() !== unit.trailer_ids.join()
  const nameOf = (id: string) => data.find((trailer) => trailer.id === id)?.name ?? '…'
  return (
    <section className="grid gap-3">
      <h2 className="text-lead">{t('units.coupledToday')}</h2>
      <ol className="grid gap-1">
        {ids.map((id, place) => (
          <li key={id} className="flex items-center gap-3 border-[1.5px] border-ink bg-sheet pl-3">
            <span className="text-soft">{place + 1}</span> <b>{nameOf(id)}</b>
            <button
              type="button"
              aria-label={t('units.uncouple', { name: nameOf(id) })}
              onClick={() => setIds(ids.filter((other) => other !== id))}
              className="ml-auto min-h-touch px-3 underline underline-offset-4"
            >
              {t('units.uncoupleShort')}
            </button>
          </li>
        ))}
        {ids.length === 0 && <li className="text-soft">{t('units.pullsNothing')}</li>}
      </ol>
      {ids.length < MOST && free.length > 0 && (
        <select
          aria-label={t('units.coupleOne')}
          value=""
          onChange={(event) => setIds([...ids, event.target.value])}
          className="min-h-touch border-[1.5px] border-ink bg-sheet px-3"
        >
          <option value="">{t('units.coupleOne')}</option>
          {free.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
      )}
      <FormError error={couple.error} />
      {changed && (
        <Button tone="air" disabled={couple.isPending} onClick={() => couple.mutate()}>
          {t('units.couple')}
        </Button>
      )}
    </section>
  )
}
