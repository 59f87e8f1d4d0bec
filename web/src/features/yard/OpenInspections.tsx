import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { LocalInspection } from '../../device'
import { useRecorder } from '../../run'
import { inspectionsQuery } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'

/** Inspections that were never brought to an end, on this device or another: a touch goes on with them. */
export function OpenInspections() {
  const { t } = useTranslation()
  const figures = useFigures()
  const device = useRecorder()
  const recorder = 'recorder' in device ? device.recorder : null
  const { data: elsewhere = [] } = useQuery(inspectionsQuery())
  const [here, setHere] = useState<LocalInspection[]>([])
  useEffect(() => {
    let wanted = true
    void recorder
      ?.inspections()
      .then((inspections) => inspections.known())
      .then((found) => wanted && setHere(found))
    return () => void (wanted = false)
  }, [recorder])
  const known = new Set(here.map(({ id }) => id))
  const open = [
    ...here
      .filter(({ closed, refused, runId }) => !closed && !refused && !runId)
      .map(({ id, unitName, startedWall }) => ({ id, unit: unitName, started: startedWall })),
    ...elsewhere
      .filter(({ id, run_id }) => !known.has(id) && !run_id)
      .map(({ id, unit_name, started_at }) => ({ id, unit: unit_name, started: started_at })),
  ]
  if (open.length === 0) return null
  return (
    <section className="mb-5 border-l-4 border-amber bg-sheet px-4 py-2">
      <h2 className="text-body">{t('inspection.open')}</h2>
      <ul>
        {open.map(({ id, unit, started }) => (
          <li key={id} data-open-inspection={id} className="flex flex-wrap items-center gap-x-4">
            <b>{unit}</b>
            <span className="text-soft">{figures.when(started)}</span>
            <Link
              to={`/inspection/${id}`}
              className="ml-auto inline-flex min-h-touch items-center font-semibold text-air underline underline-offset-4"
            >
              {t('inspection.report.goOn')}
            </Link>
          </li>
        ))}
      </ul>
    </section>
  )
}
