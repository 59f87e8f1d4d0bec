import { useState } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { usePreferences } from '../../shared/preferences'
import { Button, FormError } from '../../shared/ui'

type Page = Schema['CourseOut']
type Entry = Schema['EntryOut']

const SHAPES: Record<Entry['kind'], string> = {
  run: 'border-[1.5px] border-current',
  act: 'bg-current',
  hold: 'bg-current w-1.5!',
  change: 'h-[3px]! bg-current',
}

/** What happened to a unit in one line of time, the latest first; older pages are fetched as they are asked for. */
export function Course({ unitId, first }: { unitId: string; first: Page }) {
  const { t } = useTranslation()
  const { preferences } = usePreferences()
  const [older, setOlder] = useState<Page[]>([])
  const [error, setError] = useState<Error | null>(null)
  const pages = [first, ...older]
  const before = pages.at(-1)?.next_before
  const more = () => {
    if (!before) return
    const query = { before, lang: preferences.language, unit: preferences.unit }
    need(api.GET('/api/units/{unit_id}/course', { params: { path: { unit_id: unitId }, query } })).then(
      (page) => setOlder([...older, page]),
      setError,
    )
  }
  return (
    <section>
      <h2 className="mb-2 border-b-[1.5px] border-ink pb-1 text-lead">{t('units.course')}</h2>
      <ol>
        {pages
          .flatMap(({ entries }) => entries)
          .map((entry, n) => (
            <Line key={`${entry.at} ${n}`} entry={entry} />
          ))}
      </ol>
      <FormError error={error} />
      {before && (
        <Button className="mt-3" onClick={more}>
          {t('units.older')}
        </Button>
      )}
    </section>
  )
}

function Line({ entry }: { entry: Entry }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const bad = ['fail', 'opened', 'hold_placed'].includes(entry.what)
  return (
    <li className="grid grid-cols-[8.5rem_1.5rem_1fr] items-baseline gap-x-2 border-b border-hair py-1.5">
      <span className="text-note text-soft">{figures.when(entry.at)}</span>
      <i aria-hidden className={`size-3.5 self-center ${bad ? 'text-clay' : ''} ${SHAPES[entry.kind]}`} />
      <span className="min-w-0">
        {entry.run_id ? (
          <Link
            to={`/runs/${entry.run_id}`}
            className={`underline underline-offset-4 ${bad ? 'font-semibold text-clay' : ''}`}
          >
            {entry.text || t('units.runs')}
          </Link>
        ) : (
          <span className={bad ? 'font-semibold text-clay' : ''}>{entry.text}</span>
        )}
        {Object.entries(entry.fields ?? {}).map(([field, value]) => {
          const [was, is] = value as [unknown, unknown]
          return (
            <span key={field} className="block">
              <b className="font-semibold">{field}</b> {plain(was)} → {plain(is)}
            </span>
          )
        })}{' '}
        <span className="text-soft">{entry.by}</span>
      </span>
    </li>
  )
}

function plain(value: unknown): string {
  if (value === null || value === undefined) return '–'
  if (Array.isArray(value)) return value.join(' ') || '–'
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}
