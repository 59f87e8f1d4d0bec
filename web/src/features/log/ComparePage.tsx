import { useQueries } from '@tanstack/react-query'
import { Link, useSearchParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { reportQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Notice, OutcomeMark } from '../../shared/ui'

const MOST = 4

/** Two to four tests side by side: each stage as it stands in each, with its sum. */
export function ComparePage() {
  const { t } = useTranslation()
  const { language, unit } = useFigures()
  const [params] = useSearchParams()
  const ids = (params.get('runs') ?? '').split(',').filter(Boolean).slice(0, MOST)
  const reports = useQueries({ queries: ids.map((id) => reportQuery(id, language, unit, 'beside others')) })
  const failed = reports.find(({ error }) => error)
  if (failed) return <Notice error={failed.error} onRetry={() => void failed.refetch()} />
  const all = reports.flatMap(({ data }) => (data ? [data] : []))
  const stages = [...new Set(all.flatMap(({ verdict }) => verdict.stages.map(({ stage }) => stage)))]
  return (
    <>
      <h1 className="pt-5 pb-3 text-title">{t('log.compare')}</h1>
      <div className="overflow-x-auto" tabIndex={0} data-compare={all.length}>
        <table className="w-full border-collapse text-left">
          <thead>
            <tr className="border-b-[1.5px] border-ink align-bottom">
              <td />
              {all.map((report) => (
                <Head key={report.run.id} report={report} />
              ))}
            </tr>
          </thead>
          <tbody>
            {stages.map((stage) => (
              <tr key={stage} className="border-b border-hair align-top">
                <th scope="row" className="py-2 pr-4">
                  {t(`step.${stage}`)}
                </th>
                {all.map(({ run, verdict }) => (
                  <Cell
                    key={run.id}
                    stage={verdict.stages.find((one) => one.stands && one.stage === stage)}
                  />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  )
}

function Head({ report: { run, outcome } }: { report: Schema['ReportOut'] }) {
  const figures = useFigures()
  const { t } = useTranslation()
  return (
    <th scope="col" className="py-2 pr-6">
      <Link to={`/runs/${run.id}`} className="text-lead underline-offset-4 hover:underline">
        {run.unit_name.trim() || t('log.nobody')}
      </Link>
      <span className="block font-normal">{figures.when(run.started_at)}</span>
      <span className="block text-note font-normal text-soft">
        {run.driver || t('log.nobody')}, {run.rules_title[figures.language]}
      </span>
      <OutcomeMark outcome={outcome} />
    </th>
  )
}

function Cell({ stage }: { stage: Schema['StageOut'] | undefined }) {
  if (!stage) return <td className="py-2 pr-6 text-soft">–</td>
  return (
    <td className="py-2 pr-6" data-cell={stage.stage}>
      <OutcomeMark outcome={stage.outcome} closeCall={stage.close_call} />
      <span className="num block">{stage.arithmetic}</span>
    </td>
  )
}
