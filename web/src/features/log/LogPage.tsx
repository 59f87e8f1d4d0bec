import { useQuery } from '@tanstack/react-query'
import { useDeferredValue } from 'react'
import { useTranslation } from 'react-i18next'
import { Link, useSearchParams } from 'react-router'
import { logQuery, type LogOutcome, type Schema } from '../../shared/api'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, Choice, MiniColumn, Notice, OutcomeMark } from '../../shared/ui'

const filters = ['all', 'pass', 'close_call', 'fail', 'void', 'incomplete'] as const
type Filter = (typeof filters)[number]

/** Every run, the latest first. The filter lives in the address, so that a view can be kept and shared. */
export function LogPage() {
  const { t } = useTranslation()
  const [params, setParams] = useSearchParams()
  const search = useDeferredValue(params.get('q') ?? '')
  const filter = filters.find((item) => item === params.get('outcome')) ?? 'all'
  const before = params.get('before') ?? undefined
  const log = useQuery(logQuery(search, filter === 'all' ? undefined : (filter satisfies LogOutcome), before))

  const change = (key: string, value: string, replace = true) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old)
        if (key !== 'before') next.delete('before')
        if (value) next.set(key, value)
        else next.delete(key)
        return next
      },
      { replace },
    )
  const word = (item: Filter) =>
    item === 'all' ? t('log.all') : item === 'close_call' ? t('log.closeCall') : t(`outcome.${item}`)

  return (
    <>
      <div className="flex flex-wrap items-end gap-x-6 gap-y-3 pt-5 pb-3">
        <h1 className="text-title">{t('log.title')}</h1>
        <Link
          to="/traces"
          className="mr-auto inline-flex min-h-touch items-center font-semibold underline underline-offset-4"
        >
          {t('traces.title')}
        </Link>
        <div className="max-w-full overflow-x-auto">
          <Choice
            label={t('log.outcome')}
            value={filter}
            options={filters.map((value) => ({ value, text: word(value) }))}
            onChange={(value) => change('outcome', value === 'all' ? '' : value)}
          />
        </div>
        <input
          type="search"
          aria-label={t('log.search')}
          placeholder={t('log.search')}
          value={params.get('q') ?? ''}
          maxLength={100}
          onChange={(event) => change('q', event.target.value)}
          className="h-10.5 w-72 max-w-full border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
        />
      </div>
      {log.data ? (
        <LogTable runs={log.data.runs} />
      ) : (
        <Notice error={log.error} onRetry={() => void log.refetch()} />
      )}
      <div className="flex gap-3 py-4">
        {before && <Button onClick={() => change('before', '')}>{t('log.newest')}</Button>}
        {log.data?.next_before && (
          <Button onClick={() => change('before', log.data.next_before ?? '', false)}>
            {t('log.older')}
          </Button>
        )}
      </div>
    </>
  )
}

function LogTable({ runs }: { runs: Schema['LogLineOut'][] }) {
  const { t } = useTranslation()
  if (runs.length === 0) return <p className="py-8 text-lead">{t('log.none')}</p>
  return (
    <div className="overflow-x-auto">
      <table className="w-full border-collapse">
        <thead className="text-left text-note text-soft">
          <tr className="border-b-[1.5px] border-ink">
            <th className="w-14 py-1.5 font-semibold">{t('log.air')}</th>
            <th className="pr-3 font-semibold">{t('log.unit')}</th>
            <th className="pr-3 font-semibold max-md:hidden">{t('log.driver')}</th>
            <th className="pr-3 font-semibold">{t('log.when')}</th>
            <th className="pr-5 text-right font-semibold max-lg:hidden">{t('log.full')}</th>
            <th className="pr-5 text-right font-semibold max-md:hidden">{t('log.held')}</th>
            <th className="pr-8 text-right font-semibold max-sm:hidden">{t('log.lost')}</th>
            <th className="font-semibold">{t('log.outcome')}</th>
          </tr>
        </thead>
        <tbody>
          {runs.map((line) => (
            <LogRow key={line.run.id} line={line} />
          ))}
        </tbody>
      </table>
    </div>
  )
}

function LogRow({ line }: { line: Schema['LogLineOut'] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { run, stages } = line
  const held = stages.leak_applied
  return (
    <tr className="h-15 border-b border-hair hover:bg-sheet">
      <td>
        <MiniColumn column={line.column} />
      </td>
      <th scope="row" className="pr-3 text-left font-bold">
        <Link
          to={`/runs/${run.id}`}
          aria-label={t('log.open', { unit: run.unit_name, when: figures.when(run.started_at) })}
          className="whitespace-nowrap underline-offset-4 hover:underline"
        >
          {run.unit_name}
        </Link>
        <span className="block text-note font-normal text-soft max-sm:hidden">{t(`kind.${run.kind}`)}</span>
      </th>
      <td className="pr-3 max-md:hidden">
        {run.driver || <span className="text-soft">{t('log.nobody')}</span>}
        {run.sealed && <span className="block text-note text-soft">{t('log.sealed')}</span>}
        {run.recording && <span className="block text-note text-soft">{t('traces.from')}</span>}
      </td>
      <td className="pr-3 sm:whitespace-nowrap">{figures.when(run.started_at)}</td>
      <Figure
        className="max-lg:hidden"
        text={stages.cut_out?.psi != null ? figures.reading(stages.cut_out.psi) : null}
      />
      <Figure
        className="max-md:hidden"
        text={
          held?.start_psi != null && held.end_psi != null
            ? `${figures.reading(held.start_psi)} → ${figures.reading(held.end_psi)}`
            : null
        }
      />
      <Figure
        className="pr-8! max-sm:hidden"
        text={held?.drop_psi != null ? figures.amount(held.drop_psi) : null}
        unit={`${unitLabel[figures.unit]}${held?.duration_s != null ? ` / ${Math.round(held.duration_s)} s` : ''}`}
      />
      <td className="sm:whitespace-nowrap">
        <OutcomeMark outcome={line.outcome} closeCall={line.close_call} />
      </td>
    </tr>
  )
}

function Figure({ text, unit, className = '' }: { text: string | null; unit?: string; className?: string }) {
  const figures = useFigures()
  return (
    <td className={`pr-5 text-right whitespace-nowrap ${className}`}>
      {text === null ? (
        <span className="text-soft">–</span>
      ) : (
        <>
          <span className="num text-figure">{text}</span>{' '}
          <span className="text-note text-soft">{unit ?? unitLabel[figures.unit]}</span>
        </>
      )}
    </td>
  )
}
