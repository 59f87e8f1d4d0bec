import { useEffect, useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { useFigures } from '../../figures/useFigures'
import { useRecorder, type LocalRun } from '../../live'

/** Runs begun on this device that were never brought to an end. */
export function LeftOpen() {
  const { t } = useTranslation()
  const figures = useFigures()
  const state = useRecorder()
  const recorder = 'recorder' in state ? state.recorder : null
  const [runs, setRuns] = useState<LocalRun[]>([])
  useEffect(() => {
    let wanted = true
    void recorder?.leftOpen().then((open) => wanted && setRuns(open))
    return () => {
      wanted = false
    }
  }, [recorder])
  if (runs.length === 0) return null
  return (
    <section className="mb-5 border-l-4 border-amber bg-sheet px-4 py-2">
      <h2 className="text-body">{t('yard.resume')}</h2>
      <ul>
        {runs.map((run) => (
          <li key={run.id} className="flex items-center gap-4">
            <b>{run.unitName}</b>
            <span className="text-soft">{figures.when(run.startedWall)}</span>
            <Link
              to={`/test/${run.id}`}
              className="ml-auto inline-flex min-h-touch items-center font-semibold text-air underline underline-offset-4"
            >
              {t('yard.resumeRun')}
            </Link>
          </li>
        ))}
      </ul>
    </section>
  )
}
