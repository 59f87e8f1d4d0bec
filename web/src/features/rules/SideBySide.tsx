import { useEffect, useRef } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { OutcomeMark } from '../../shared/ui'
import { Bay } from './Bay'
import type { Cell, Row } from './drafts'

export interface Place {
  stage: Row['stage']
  ref: string
}

interface SideBySideProps {
  table: Schema['CompareOut']
  sources: boolean
  /** The set that is being written. */
  draft: string | undefined
  at: Place | undefined
  onPlace: (place: Place) => void
  onLeaveOut: (ref: string) => void
}

/** Rule sets side by side, stage by stage; what is not as in the first set is drawn heavy. */
export function SideBySide({ table, sources, draft, at, onPlace, onLeaveOut }: SideBySideProps) {
  const { t } = useTranslation()
  const { columns, rows } = table
  const chosen = useRef<HTMLTableRowElement>(null)
  const stage = at?.stage
  // what is written stands right below: the row that it is about stays in sight with it
  useEffect(() => {
    if (draft) chosen.current?.scrollIntoView({ block: 'start' })
  }, [draft, stage])
  return (
    <div tabIndex={0} className="overflow-x-auto">
      <table className="w-full table-fixed border-collapse" style={{ minWidth: 172 + columns.length * 196 }}>
        <thead className="text-left align-top">
          <tr className="border-b-2 border-ink">
            <th className="w-43">
              <span className="sr-only">{t('rules.stage')}</span>
            </th>
            {columns.map((column, place) => (
              <th
                key={column.ref}
                className={`px-2.5 py-1.5 ${column.ref === draft ? 'border-x-2 border-ink bg-ink text-on-ink' : ''}`}
              >
                <div className="flex items-start justify-between gap-1">
                  <span>
                    <b className="block leading-tight" style={{ fontStretch: '92%' }}>
                      {column.title}
                    </b>
                    <small
                      className={`block text-note font-normal ${column.ref === draft ? '' : 'text-soft'}`}
                      style={{ fontStretch: '84%' }}
                    >
                      {column.version === null
                        ? t('rules.states.built_in')
                        : `${t('rules.version', { version: column.version })}, ${t(`rules.states.${column.state}`)}`}
                    </small>
                  </span>
                  {place > 0 && (
                    <button
                      type="button"
                      aria-label={t('rules.leaveOut', { set: column.title })}
                      onClick={() => onLeaveOut(column.ref)}
                      className="no-print -mt-1 -mr-1 min-h-8 min-w-8 text-lead leading-none"
                    >
                      ×
                    </button>
                  )}
                </div>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr
              key={row.stage}
              ref={at?.stage === row.stage ? chosen : undefined}
              className={at?.stage === row.stage ? 'border-y-2 border-ink' : 'border-b border-hair'}
            >
              <th scope="row" className="py-1.5 pr-2 text-left align-top leading-tight">
                <span className="block font-bold" style={{ fontStretch: '92%' }}>
                  {t(`step.${row.stage}`)}
                </span>
                <Measure row={row} />
              </th>
              {row.cells.map((cell, place) => {
                const column = columns[place]
                if (!column) return null
                return (
                  <CellOf
                    key={column.ref}
                    {...{ cell, row, column, sources }}
                    mine={column.ref === draft}
                    first={place === 0 ? '' : (columns[0]?.title ?? '')}
                    on={at?.stage === row.stage && at.ref === column.ref}
                    onPress={() => onPlace({ stage: row.stage, ref: column.ref })}
                  />
                )
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

function Measure({ row }: { row: Row }) {
  const figures = useFigures()
  const { t } = useTranslation()
  const unit = row.unit === 's' ? 's' : unitLabel[figures.unit]
  const [from, to] = row.window_psi ?? []
  const over =
    row.hold_s !== null
      ? ` / ${row.hold_s} s`
      : from !== undefined && to !== undefined
        ? `, ${figures.reading(from)}–${figures.pressure(to)}`
        : ''
  return (
    <small className="text-note font-normal text-soft" style={{ fontStretch: '84%' }}>
      {row.cells.every(({ limit }) => limit === null) ? t('rules.noRule') : `${unit}${over}`}
    </small>
  )
}

interface CellProps {
  cell: Cell
  row: Row
  column: Schema['SetColumnOut']
  sources: boolean
  mine: boolean
  first: string
  on: boolean
  onPress: () => void
}

function CellOf({ cell, row, column, sources, mine, first, on, onPress }: CellProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const strong = cell.differs || (mine && cell.own)
  const where = cell.own ? t('rules.own') : cell.sources[0]
  return (
    <td
      className={`p-0 align-top ${mine ? 'border-x-2 border-ink' : ''} ${on ? 'bg-air/15' : strong ? 'bg-sheet' : ''}`}
    >
      <button
        type="button"
        aria-pressed={on}
        data-cell={`${row.stage} ${column.ref}`}
        data-differs={cell.differs}
        onClick={onPress}
        className="block min-h-13 w-full px-2.5 py-1.5 text-left"
      >
        <span className="sr-only">
          {t(`step.${row.stage}`)}, {column.title}: {cell.text}{' '}
        </span>
        {cell.limit === null ? (
          <OutcomeMark outcome="no_rule" />
        ) : (
          <>
            <span className="flex items-baseline justify-between gap-2">
              <span
                className={`num shrink-0 text-lead leading-tight ${(mine && cell.own) || cell.differs ? 'font-bold' : 'font-medium text-soft'}`}
              >
                {overOther(cell, row, figures.reading)}
              </span>
              {!sources && (
                <small
                  className={`min-w-0 truncate text-note ${cell.own ? 'font-bold' : 'text-soft'}`}
                  style={{ fontStretch: '80%' }}
                >
                  {cell.own ? t('rules.own') : cell.differs || !first ? '' : t('rules.asFirst', { first })}
                </small>
              )}
            </span>
            {sources ? (
              <small className="block text-note leading-tight text-soft" style={{ fontStretch: '80%' }}>
                {where}
              </small>
            ) : (
              <Bay cell={cell} scale={row.scale} own={mine && cell.own} />
            )}
          </>
        )}
      </button>
    </td>
  )
}

/** The limit as short as can be, with its own hold or window where that is not the row's. */
function overOther(cell: Cell, row: Row, reading: (psi: number) => string): string {
  const { hold_s: hold, window_psi: window } = (cell.limit ?? {}) as {
    hold_s?: number
    window_psi?: number[]
  }
  if (hold !== undefined && hold !== row.hold_s) return `${cell.short} / ${hold} s`
  if (window && row.window_psi && String(window) !== String(row.window_psi)) {
    return `${cell.short}, ${window.map(reading).join('–')}`
  }
  return cell.short
}
