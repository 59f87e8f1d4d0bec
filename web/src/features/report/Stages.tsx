import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { standing } from '../../run'
import { type DeviceMark } from '../../device'
import { OutcomeMark } from '../../shared/ui'

/** The ends between which each figure lies, where a recording leaves some of it open. */
function Between({ between }: { between: Record<string, number[]> }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const figuresOf = Object.entries(between).filter(([name]) => !/^(start|end|rate)_/.test(name))
  const told = figuresOf.map(([name, ends]) => {
    const pressure = name.endsWith('_psi') || name.endsWith('_psi_per_min')
    const [low, high] = ends.map((end) => (pressure ? figures.reading(end) : figures.seconds(end)))
    return `${low}–${high} ${pressure ? unitLabel[figures.unit] : 's'}`
  })
  return <p className="num text-note text-soft">{t('report.between', { ends: told.join(', ') })}</p>
}

/** Each stage with its outcome, its arithmetic, its limit and what went wrong. */
export function Stages({
  stages,
  events,
  runId,
}: Pick<Schema['VerdictOut'], 'stages'> & Pick<Schema['ReportOut'], 'events'> & { runId?: string }) {
  const { t } = useTranslation()
  const leftOut = new Map(
    standing(events as unknown as DeviceMark[])
      .filter(({ type }) => type === 'skipped')
      .map(({ stage, why }) => [stage, why]),
  )
  return (
    <section>
      <h2 className="mb-1 text-lead">{t('report.stages')}</h2>
      <ol className="border-t-[1.5px] border-ink">
        {stages.map((stage) => (
          <li
            key={`${stage.stage} ${stage.attempt}`}
            data-try={`${stage.stage} ${stage.attempt}`}
            className="grid gap-x-6 border-b border-line py-3 sm:grid-cols-[13rem_1fr]"
          >
            <div>
              <b>{t(`step.${stage.stage}`)}</b>
              {stage.attempt > 1 && (
                <span className="block text-note text-soft">
                  {t('report.attempt', { number: stage.attempt })}
                </span>
              )}
              <div className="mt-1">
                <OutcomeMark outcome={stage.outcome} closeCall={stage.close_call} />
              </div>
            </div>
            <div className="grid gap-1">
              {stage.arithmetic && (
                <p className="num flex flex-wrap items-baseline gap-x-4 text-figure leading-snug">
                  {stage.arithmetic}
                  {runId && (
                    <Link
                      to={`/rules/sums?run=${runId}&stage=${stage.stage}&attempt=${stage.attempt}`}
                      aria-label={`${t('report.sum')}: ${t(`step.${stage.stage}`)}`}
                      className="no-print inline-flex min-h-12 min-w-12 items-center font-sans text-note font-normal text-soft underline underline-offset-4"
                    >
                      {t('report.sum')}
                    </Link>
                  )}
                </p>
              )}
              {Object.keys(stage.between ?? {}).length > 0 && <Between between={stage.between ?? {}} />}
              {stage.limit && (
                <p className="text-note text-soft">
                  {stage.limit.words} {stage.limit.source}.
                </p>
              )}
              {stage.outcome === 'not_done' && leftOut.has(stage.stage) && (
                <p className="border-l-4 border-line pl-3">
                  {[t('report.leftOut'), leftOut.get(stage.stage)].filter(Boolean).join(': ')}
                </p>
              )}
              {stage.close_call && <p className="text-note text-soft">{t('report.sureClose')}</p>}
              {stage.findings.map((finding) => (
                <p key={finding.code} data-finding={finding.code} className="border-l-4 border-amber pl-3">
                  {finding.text}
                </p>
              ))}
            </div>
          </li>
        ))}
      </ol>
    </section>
  )
}
