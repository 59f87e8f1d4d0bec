import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { Button, FormError } from '../../shared/ui'
import { queryOf } from './wanted'

const viewsKey = ['log-views']

/** One's own lists of the log: kept under a name, opened by a touch, sent as an address. */
export function Views({ params }: { params: URLSearchParams }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [name, setName] = useState('')
  const here = queryOf(params)
  const views = useQuery({
    queryKey: viewsKey,
    queryFn: ({ signal }) => need(api.GET('/api/log/views', { signal })),
  }).data
  const settled = () => queries.invalidateQueries({ queryKey: viewsKey })
  const keep = useMutation({
    mutationFn: () => need(api.PUT('/api/log/views', { body: { name, query: here } })),
    onSuccess: () => {
      setName('')
      return settled()
    },
  })
  const drop = useMutation({
    mutationFn: (which: string) => need(api.DELETE('/api/log/views', { params: { query: { name: which } } })),
    onSettled: settled,
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    keep.mutate()
  }
  return (
    <div className="flex flex-wrap items-center gap-3" data-views>
      {views?.map((one) => (
        <span key={one.name} className="inline-flex items-stretch border-[1.5px] border-line">
          <Link
            to={`/log?${one.query}`}
            aria-current={one.query === here}
            className="inline-flex min-h-touch items-center px-3 font-semibold aria-[current=true]:bg-ink aria-[current=true]:text-on-ink"
          >
            {one.name}
          </Link>
          <button
            type="button"
            aria-label={t('log.dropView', { name: one.name })}
            onClick={() => drop.mutate(one.name)}
            className="min-w-11 border-l border-line text-soft hover:bg-hair"
          >
            ×
          </button>
        </span>
      ))}
      {here && (
        <form onSubmit={submit} className="inline-flex items-center gap-2">
          <input
            aria-label={t('log.viewName')}
            placeholder={t('log.viewName')}
            value={name}
            maxLength={60}
            required
            onChange={(event) => setName(event.target.value)}
            className="h-11 w-44 border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
          />
          <Button type="submit">{t('log.saveView')}</Button>
        </form>
      )}
      <FormError error={keep.error} />
    </div>
  )
}
