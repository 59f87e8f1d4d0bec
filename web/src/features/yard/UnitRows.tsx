import { useWindowVirtualizer } from '@tanstack/react-virtual'
import { useLayoutEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { useFigures } from '../../shared/figures/useFigures'
import { MiniColumn, OutcomeMark, StatusMark } from '../../shared/ui'
import { dueGroup, whyItStays, type DueGroup, type YardUnit } from './yard'

interface UnitRowsProps {
  staying: YardUnit[]
  drivable: YardUnit[]
  /** When the server told of its units [ms]. */
  now: number
}

type Row = { unit: YardUnit } | { group: DueGroup } | { gate: true } | { stay: true }
const ROW_PX = 84

/** So many rows are drawn whole; of more only those in sight. */
const MOST_DRAWN = 80

/** The same as a list, for a phone and for large fleets. */
export function UnitRows({ staying, drivable, now }: UnitRowsProps) {
  const rows = rowsOf(staying, drivable, now)
  if (rows.length > MOST_DRAWN) return <InSight rows={rows} />
  return (
    <ol>
      {rows.map((row) => (
        <li key={keyOf(row)}>
          <RowOf row={row} />
        </li>
      ))}
    </ol>
  )
}

function InSight({ rows }: { rows: Row[] }) {
  const list = useRef<HTMLOListElement>(null)
  const [top, setTop] = useState(0)
  useLayoutEffect(() => setTop(list.current?.offsetTop ?? 0), [])
  const virtual = useWindowVirtualizer({
    count: rows.length,
    estimateSize: () => ROW_PX,
    overscan: 8,
    scrollMargin: top,
    getItemKey: (place) => keyOf(rows[place]),
  })
  return (
    <ol ref={list} className="relative" style={{ height: virtual.getTotalSize() }}>
      {virtual.getVirtualItems().map(({ key, index, start }) => {
        const row = rows[index]
        return (
          <li
            key={key}
            ref={virtual.measureElement}
            data-index={index}
            className="absolute inset-x-0 top-0"
            style={{ transform: `translateY(${start - top}px)` }}
          >
            {row && <RowOf row={row} />}
          </li>
        )
      })}
    </ol>
  )
}

function RowOf({ row }: { row: Row }) {
  const { t } = useTranslation()
  if ('unit' in row) return <UnitRow one={row.unit} />
  if ('gate' in row)
    return <h2 className="mt-4 border-t-8 border-ink pt-2 text-lead">{t('yard.leaveTitle')}</h2>
  if ('stay' in row) return <h2 className="text-lead text-clay">{t('yard.stayTitle')}</h2>
  return <p className="pt-3 pb-1 text-note text-soft">{t(`yard.groups.${row.group}`)}</p>
}

function rowsOf(staying: YardUnit[], drivable: YardUnit[], now: number): Row[] {
  const rows: Row[] = staying.length ? [{ stay: true }, ...staying.map((unit) => ({ unit }))] : []
  if (drivable.length) rows.push({ gate: true })
  let group: DueGroup | undefined
  for (const unit of drivable) {
    const next = dueGroup(unit, now)
    if (next !== group) rows.push({ group: next })
    group = next
    rows.push({ unit })
  }
  return rows
}

const keyOf = (row: Row | undefined): string =>
  !row
    ? ''
    : 'unit' in row
      ? row.unit.unit.id
      : 'group' in row
        ? `group ${row.group}`
        : Object.keys(row).join()

function UnitRow({ one }: { one: YardUnit }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { unit, failed, stays } = one
  const { latest, status } = unit
  const why = whyItStays(one)
  return (
    <div data-unit={unit.name} className="flex min-h-20 items-center gap-x-3 border-b border-hair py-1.5">
      <div className="w-12 shrink-0 max-sm:hidden">{latest && <MiniColumn column={latest.column} />}</div>
      <Link to={`/units/${unit.id}`} className="w-28 shrink-0 underline-offset-4 hover:underline sm:w-44">
        <b className="text-lead">{unit.name}</b>
        <span className="block text-note leading-tight text-soft">
          {unit.trailers.length ? unit.trailers.join(', ') : t(`kind.${unit.kind}`)}
        </span>
      </Link>
      <div className="min-w-0 grow leading-snug">
        {stays ? (
          <>
            {status?.stays ? (
              <StatusMark status={status.status} stays />
            ) : (
              <b className="text-clay">{t('yard.doNotDrive')}</b>
            )}
            <p data-failed={failed.join(' ')} className="text-note">
              {why.text || failed.map((stage) => t(`step.${stage}`)).join(', ')}
              {!why.text &&
                !failed.length &&
                status?.due_at &&
                t('status.overdueSince', { day: figures.lastDay(status.due_at) })}
            </p>
          </>
        ) : (
          <>
            {status && status.status !== 'fit' && <StatusMark status={status.status} stays={false} />}
            {latest ? (
              <Link
                to={`/runs/${latest.run_id}`}
                aria-label={t('yard.report', { unit: unit.name })}
                className="flex flex-wrap items-baseline gap-x-3 underline-offset-4 hover:underline"
              >
                <OutcomeMark outcome={latest.outcome} closeCall={latest.close_call} />
                <span className="text-note text-soft">{figures.when(latest.started_at)}</span>
              </Link>
            ) : (
              <span className="text-soft">{t('yard.never')}</span>
            )}
          </>
        )}
      </div>
      <Link
        to={`/test/new/${unit.id}`}
        aria-label={t('yard.startFor', { unit: unit.name })}
        className="inline-grid min-h-touch w-20 shrink-0 place-items-center border-[1.5px] border-air bg-sheet font-semibold text-air hover:bg-air hover:text-on-air"
      >
        {t('yard.start')}
      </Link>
    </div>
  )
}
