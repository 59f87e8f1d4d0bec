import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { allUnitsQuery, api, need } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, FormError } from '../../shared/ui'
import type { LogWanted } from './queries'

const WHATS = ['csv', 'xlsx', 'records', 'pdf'] as const
const LOOK_MS = 800
const LONGEST_TITLE = 80

/** The list as a file: a table or the records themselves, made beside everything else; or as a paper. */
export function Exports({ wanted, params }: { wanted: LogWanted; params: URLSearchParams }) {
  const { t } = useTranslation()
  const { language, unit: pressure } = useFigures()
  const [job, setJob] = useState<string>()
  const unit = useQuery(allUnitsQuery()).data?.find(({ id }) => id === wanted.unit)?.name
  const chosen = [unit, wanted.driver, wanted.person, wanted.search, days(params)].filter(Boolean)
  const paper = {
    title: chosen.join(', ').slice(0, LONGEST_TITLE) || t('log.title'),
    language,
    pressure,
    size: language === 'en' ? ('letter' as const) : ('A4' as const),
  }
  const begin = useMutation({
    mutationFn: (what: (typeof WHATS)[number]) =>
      need(
        api.POST('/api/exports', {
          body: { search: '', sealed: false, recorded: false, ...wanted, what, paper },
        }),
      ),
    onSuccess: ({ id }) => setJob(id),
  })
  const made = useQuery({
    queryKey: ['export', job],
    enabled: job !== undefined,
    queryFn: ({ signal }) =>
      need(api.GET('/api/exports/{job_id}', { signal, params: { path: { job_id: job ?? '' } } })),
    refetchInterval: ({ state }) =>
      !state.data || ['waiting', 'running'].includes(state.data.state) ? LOOK_MS : false,
  }).data
  return (
    <div className="flex flex-wrap items-center gap-3 pb-6" data-exports>
      <span className="text-note text-soft">{t('log.asFile')}</span>
      {WHATS.map((what) => (
        <Button key={what} onClick={() => begin.mutate(what)} disabled={begin.isPending}>
          {t(`log.as_${what}`)}
        </Button>
      ))}
      {made && made.state !== 'done' && (
        <span role="status" className="num">
          {made.why || t('traces.of', { done: made.done, total: made.total })}
        </span>
      )}
      {made?.state === 'done' && (
        <a
          data-made={made.what}
          href={`/api/exports/${made.id}/file`}
          download
          className="inline-grid min-h-touch place-items-center border-[1.5px] border-air bg-air px-4 font-semibold text-on-air"
        >
          {t('log.fetch')}
        </a>
      )}
      <FormError error={begin.error} />
    </div>
  )
}

/** The days as they were chosen. */
const days = (params: URLSearchParams): string =>
  ['since', 'until'].some((name) => params.has(name))
    ? `${params.get('since') ?? ''} – ${params.get('until') ?? ''}`.trim()
    : ''
