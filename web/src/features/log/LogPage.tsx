import { useQuery } from '@tanstack/react-query'
import {
  useDeferredValue,
  useEffect,
  useRef,
  useState,
  type KeyboardEvent as ReactKeyboardEvent,
  type RefObject,
} from 'react'
import { Link, useSearchParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, Choice, MiniColumn, Notice, OutcomeMark } from '../../shared/ui'
import { useMay } from '../../shared/session'
import { Exports } from './Exports'
import { Tables } from './Tables'
import { Filters } from './Filters'
import { logCountQuery, logQuery } from './queries'
import { Views } from './Views'
import { columnsOf, FILTERS, queryOf, wantedOf, type Column } from './wanted'

/** So many tests fit beside one another. */
const MOST_BESIDE = 4
const filters = ['all', 'pass', 'close_call', 'fail', 'void', 'incomplete'] as const
type Filter = (typeof filters)[number]

/** Every run, the latest first. The filters live in the address, so that a list can be kept and sent. */
export function LogPage() {
  const { t } = useTranslation()
  const [params, setParams] = useSearchParams()
  const wanted = useDeferredValue(wantedOf(params))
  const filter = filters.find((item) => item === params.get('outcome')) ?? 'all'
  const before = params.get('before') ?? undefined
  const log = useQuery(logQuery(wanted, before))
  const count = useQuery(logCountQuery(wanted)).data
  const narrowed = FILTERS.filter((name) => name !== 'outcome' && params.has(name)).length
  const [open, setOpen] = useState(narrowed > 0)
  const [chosen, setChosen] = useState<string[]>([])
  const mayExport = useMay('beginExport')
  const mayTables = useMay('getTable')
  const search = useRef<HTMLInputElement>(null)
  useSlash(search)

  const change = (changes: Partial<Record<string, string>>, replace = true) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old)
        if (!('before' in changes)) next.delete('before')
        for (const [key, value] of Object.entries(changes)) {
          if (value) next.set(key, value)
          else next.delete(key)
        }
        return next
      },
      { replace },
    )
  const word = (item: Filter) =>
    item === 'all' ? t('log.all') : item === 'close_call' ? t('log.closeCall') : t(`outcome.${item}`)
  const choose = (id: string) =>
    setChosen((now) =>
      now.includes(id) ? now.filter((one) => one !== id) : [...now, id].slice(-MOST_BESIDE),
    )

  return (
    <>
      <div className="flex flex-wrap items-end gap-x-6 gap-y-3 pt-5 pb-3">
        <div className="mr-auto flex items-baseline gap-x-6">
          <h1 className="text-title">{t('log.title')}</h1>
          <Link
            to="/traces"
            className="inline-flex min-h-touch items-center font-semibold underline underline-offset-4"
          >
            {t('traces.title')}
          </Link>
        </div>
        <div className="max-w-full overflow-x-auto">
          <Choice
            label={t('log.outcome')}
            value={filter}
            options={filters.map((value) => ({ value, text: word(value) }))}
            onChange={(value) => change({ outcome: value === 'all' ? '' : value })}
          />
        </div>
        <input
          ref={search}
          type="search"
          aria-label={t('log.search')}
          aria-keyshortcuts="/"
          placeholder={t('log.search')}
          value={params.get('q') ?? ''}
          maxLength={100}
          onChange={(event) => change({ q: event.target.value })}
          className="h-10.5 w-72 max-w-full border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
        />
      </div>
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2 pb-2">
        <button
          type="button"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
          className="inline-flex min-h-touch items-center font-semibold underline underline-offset-4"
        >
          {narrowed > 0 ? t('log.filtersOn', { count: narrowed }) : t('log.filters')}
        </button>
        {count && (
          <span data-count className="num">
            {t(count.more ? 'log.countMore' : 'log.count', { count: count.runs })}
          </span>
        )}
        <Views params={params} />
        {chosen.length > 1 && (
          <Link
            to={`/log/compare?runs=${chosen.join(',')}`}
            className="inline-flex min-h-touch items-center border-[1.5px] border-air bg-air px-4 font-semibold text-on-air"
          >
            {t('log.besideEach', { count: chosen.length })}
          </Link>
        )}
      </div>
      {open && <Filters params={params} onChange={change} />}
      {log.data ? (
        <LogTable runs={log.data.runs} columns={columnsOf(params)} chosen={chosen} onChoose={choose} />
      ) : (
        <Notice error={log.error} onRetry={() => void log.refetch()} />
      )}
      <div className="flex gap-3 py-4">
        {before && <Button onClick={() => change({ before: '' })}>{t('log.newest')}</Button>}
        {log.data?.next_before && (
          <Button onClick={() => change({ before: log.data.next_before ?? '' }, false)}>
            {t('log.older')}
          </Button>
        )}
      </div>
      {mayExport && <Exports key={queryOf(params)} wanted={wanted} params={params} />}
      {mayTables && <Tables />}
    </>
  )
}

/** `/` goes to the search, wherever one is on the page. */
function useSlash(search: RefObject<HTMLInputElement | null>) {
  useEffect(() => {
    const look = (event: KeyboardEvent) => {
      const writes = event.target instanceof HTMLElement && event.target.matches('input, select, textarea')
      if (event.key !== '/' || writes || event.ctrlKey || event.metaKey) return
      event.preventDefault()
      search.current?.focus()
    }
    window.addEventListener('keydown', look)
    return () => window.removeEventListener('keydown', look)
  }, [search])
}

/** Arrows go from row to row; the row's own link opens it. */
function byArrow(event: ReactKeyboardEvent<HTMLTableSectionElement>) {
  const way = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (!way) return
  const links = Array.from(event.currentTarget.querySelectorAll<HTMLElement>('[data-logged]'))
  const row = document.activeElement?.closest('tr')
  const at = links.findIndex((link) => row?.contains(link))
  const next = links[at + way]
  if (!next) return
  event.preventDefault()
  next.focus()
}

interface LogTableProps {
  runs: Schema['LogLineOut'][]
  columns: readonly Column[]
  chosen: string[]
  onChoose: (id: string) => void
}

function LogTable({ runs, columns, chosen, onChoose }: LogTableProps) {
  const { t } = useTranslation()
  if (runs.length === 0) return <p className="py-8 text-lead">{t('log.none')}</p>
  const has = (column: Column) => columns.includes(column)
  return (
    <div className="overflow-x-auto">
      <table className="w-full border-collapse">
        <thead className="text-left text-note text-soft">
          <tr className="border-b-[1.5px] border-ink">
            <th className="w-14 py-1.5 font-semibold">{t('log.air')}</th>
            <th className="pr-3 font-semibold">{t('log.unit')}</th>
            {has('driver') && <th className="pr-3 font-semibold max-md:hidden">{t('log.driver')}</th>}
            <th className="pr-3 font-semibold">{t('log.when')}</th>
            {has('purpose') && <th className="pr-3 font-semibold max-lg:hidden">{t('report.purpose')}</th>}
            {has('rules') && <th className="pr-3 font-semibold max-lg:hidden">{t('report.judgedBy')}</th>}
            {has('full') && <th className="pr-5 text-right font-semibold max-lg:hidden">{t('log.full')}</th>}
            {has('held') && <th className="pr-5 text-right font-semibold max-md:hidden">{t('log.held')}</th>}
            {has('lost') && <th className="pr-8 text-right font-semibold max-sm:hidden">{t('log.lost')}</th>}
            <th className="font-semibold">{t('log.outcome')}</th>
            <th className="w-12 max-sm:hidden">
              <span className="sr-only">{t('log.compare')}</span>
            </th>
          </tr>
        </thead>
        <tbody onKeyDown={byArrow}>
          {runs.map((line) => (
            <LogRow
              key={line.run.id}
              line={line}
              has={has}
              chosen={chosen.includes(line.run.id)}
              onChoose={onChoose}
            />
          ))}
        </tbody>
      </table>
    </div>
  )
}

interface LogRowProps {
  line: Schema['LogLineOut']
  has: (column: Column) => boolean
  chosen: boolean
  onChoose: (id: string) => void
}

function LogRow({ line, has, chosen, onChoose }: LogRowProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { run, stages } = line
  const held = stages.leak_applied
  const unit = run.unit_name.trim() || t('log.nobody')
  const open = t('log.open', { unit, when: figures.when(run.started_at) })
  return (
    <tr className="h-15 border-b border-hair hover:bg-sheet">
      <td>
        <MiniColumn column={line.column} />
      </td>
      <th scope="row" className="pr-3 text-left font-bold">
        <Link
          data-logged
          to={`/runs/${run.id}`}
          aria-label={open}
          className="whitespace-nowrap underline-offset-4 hover:underline"
        >
          {unit}
        </Link>
        <span className="block text-note font-normal text-soft max-sm:hidden">{t(`kind.${run.kind}`)}</span>
      </th>
      {has('driver') && (
        <td className="pr-3 max-md:hidden">
          {run.driver || <span className="text-soft">{t('log.nobody')}</span>}
        </td>
      )}
      <td className="pr-3 sm:whitespace-nowrap">
        {figures.when(run.started_at)}
        <span className="block text-note text-soft">
          {[
            run.sealed && t('log.sealed'),
            run.recording && t('log.recorded'),
            run.origin && t('log.origin', { origin: run.origin }),
          ]
            .filter(Boolean)
            .join(', ')}
        </span>
      </td>
      {has('purpose') && <td className="pr-3 max-lg:hidden">{t(`report.purposes.${run.purpose}`)}</td>}
      {has('rules') && <td className="pr-3 max-lg:hidden">{run.rules_title[figures.language]}</td>}
      {has('full') && (
        <Figure
          className="max-lg:hidden"
          text={stages.cut_out?.psi != null ? figures.reading(stages.cut_out.psi) : null}
        />
      )}
      {has('held') && (
        <Figure
          className="max-md:hidden"
          text={
            held?.start_psi != null && held.end_psi != null
              ? `${figures.reading(held.start_psi)} → ${figures.reading(held.end_psi)}`
              : null
          }
        />
      )}
      {has('lost') && (
        <Figure
          className="pr-8! max-sm:hidden"
          text={held?.drop_psi != null ? figures.amount(held.drop_psi) : null}
          unit={`${unitLabel[figures.unit]}${held?.duration_s != null ? ` / ${Math.round(held.duration_s)} s` : ''}`}
        />
      )}
      <td className="sm:whitespace-nowrap">
        <OutcomeMark outcome={line.outcome} closeCall={line.close_call} />
      </td>
      <td className="text-right max-sm:hidden">
        <input
          type="checkbox"
          aria-label={t('log.putBeside', { run: open })}
          checked={chosen}
          onChange={() => onChoose(run.id)}
          className="size-6 accent-ink"
        />
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
