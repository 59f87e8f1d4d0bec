import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { MiniColumn, OutcomeMark } from '../../shared/ui'

/** A unit's last tests as air columns in a row, the latest at the end. */
export function LastTests({ tests }: { tests: Schema['LatestOut'][] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  if (tests.length === 0) return null
  return (
    <section>
      <h2 className="mb-1 text-lead">{t('units.lastTests')}</h2>
      <ol className="flex gap-1 overflow-x-auto">
        {tests.map((test) => (
          <li key={test.run_id} className="w-24 shrink-0">
            <Link to={`/runs/${test.run_id}`} className="block hover:bg-hair">
              <MiniColumn column={test.column} />
              <span className="block text-note">
                <OutcomeMark outcome={test.outcome} closeCall={test.close_call} />
              </span>
              <span className="block text-note text-soft">{figures.shortDay(test.started_at)}</span>
              {test.drop_psi != null && (
                <span className="num block text-note">{figures.difference(test.drop_psi)}</span>
              )}
            </Link>
          </li>
        ))}
      </ol>
      <p className="text-note text-soft">{t('units.lastTestsHint')}</p>
    </section>
  )
}
