import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useTranslation } from 'react-i18next'
import { useParams } from 'react-router'
import { sheetQuery, type Schema } from '../../api'
import { useFigures } from '../../figures/useFigures'
import { useRecorder } from '../../live'
import { Button, Notice, OutcomeMark } from '../../ui'
import { Marks } from './Marks'
import { SheetColumn } from './SheetColumn'

type Sheet = Schema['SheetOut']

export function SheetPage() {
  const { runId = '' } = useParams()
  const { t } = useTranslation()
  const { unit, language } = useFigures()
  const waiting = useWaiting(runId)
  const { data, error, refetch } = useQuery(sheetQuery(runId, language, unit, waiting === null ? -1 : 0))
  if (waiting !== null && waiting > 0 && !data) {
    return (
      <div className="grid gap-3 py-8">
        <OutcomeMark outcome="pending" large />
        <p className="text-lead">{t('sheet.waiting')}</p>
      </div>
    )
  }
  if (!data) return <Notice error={error} onRetry={() => void refetch()} />
  return (
    <article className="grid gap-x-10 pt-5 lg:grid-cols-[1fr_340px]">
      <div className="grid content-start gap-6">
        {waiting !== null && waiting > 0 && (
          <p role="status" className="border-l-4 border-amber pl-3 font-semibold">
            {t('sheet.waiting')}
          </p>
        )}
        <Headline sheet={data} />
        <Stages sheet={data} />
        <Coach sheet={data} />
        <Hints sheet={data} />
        <Marks events={data.events} />
        <div className="no-print flex flex-wrap gap-3">
          <a
            href={`/api/runs/${runId}/record`}
            download
            className="inline-grid min-h-touch place-items-center border-[1.5px] border-ink bg-sheet px-4 font-semibold"
          >
            {t('sheet.record')}
          </a>
          <Button onClick={() => window.print()}>{t('sheet.print')}</Button>
        </div>
      </div>
      <aside className="h-[640px] border-l border-line max-lg:order-first max-lg:hidden lg:sticky lg:top-4 print:block">
        <SheetColumn column={data.column} />
      </aside>
    </article>
  )
}

/** How many marks of this run still wait on this device: null until known. */
function useWaiting(runId: string): number | null {
  const device = useRecorder()
  const recorder = 'recorder' in device ? device.recorder : null
  const [count, setCount] = useState<number | null>(recorder ? null : 0)
  useEffect(() => {
    if (!recorder) return
    let wanted = true
    const look = () => void recorder.waitingOf(runId).then((n) => wanted && setCount(n))
    look()
    const stop = recorder.subscribe(look)
    return () => {
      wanted = false
      stop()
    }
  }, [recorder, runId])
  return count
}

function Headline({ sheet }: { sheet: Sheet }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { run, verdict, outcome } = sheet
  const closeCall = verdict.stages.some(({ stands, close_call }) => stands && close_call)
  return (
    <header>
      {outcome === 'fail' && (
        <div className="mb-5 bg-clay px-5 py-4 text-on-clay">
          <p className="text-strike leading-none font-bold">{t('sheet.doNotDrive')}</p>
          <p className="mt-2">{t('sheet.doNotDriveBody')}</p>
        </div>
      )}
      <div className="flex flex-wrap items-center gap-x-5">
        <h1 className="text-title">
          {run.unit_name} <span className="font-normal text-soft">{t(`kind.${run.kind}`)}</span>
        </h1>
        <OutcomeMark outcome={outcome} closeCall={closeCall} large />
        {outcome === 'pass' && (
          <span className="text-soft">
            {t('sheet.limited', { limited: verdict.limited, required: verdict.required })}
          </span>
        )}
      </div>
      {outcome === 'void' && <p className="mt-2 text-lead">{t('sheet.void')}</p>}
      <dl className="mt-3 flex flex-wrap gap-x-8 gap-y-1">
        <Fact name={t('sheet.started')}>{figures.when(run.started_at)}</Fact>
        <Fact name={t('sheet.driver')}>{run.driver || t('log.nobody')}</Fact>
        <Fact name={t('sheet.purpose')}>{t(`sheet.purposes.${run.purpose}`)}</Fact>
        <Fact name={t('sheet.judgedBy')}>{run.rules_title[figures.language]}</Fact>
        {run.demo && <Fact name="">{t('app.demo')}</Fact>}
      </dl>
    </header>
  )
}

function Fact({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <div>
      <dt className="text-note text-soft">{name}</dt>
      <dd className="font-semibold">{children}</dd>
    </div>
  )
}

function Stages({ sheet }: { sheet: Sheet }) {
  const { t } = useTranslation()
  return (
    <section>
      <h2 className="mb-1 text-lead">{t('sheet.stages')}</h2>
      <ol className="border-t-[1.5px] border-ink">
        {sheet.verdict.stages.map((stage) => (
          <li
            key={`${stage.stage} ${stage.attempt}`}
            className="grid gap-x-6 border-b border-line py-3 sm:grid-cols-[13rem_1fr]"
          >
            <div>
              <b>{t(`stage.${stage.stage}`)}</b>
              {stage.attempt > 1 && (
                <span className="block text-note text-soft">
                  {t('sheet.attempt', { number: stage.attempt })}
                </span>
              )}
              <div className="mt-1">
                <OutcomeMark outcome={stage.outcome} closeCall={stage.close_call} />
              </div>
            </div>
            <div className="grid gap-1">
              {stage.arithmetic && <p className="num text-figure leading-snug">{stage.arithmetic}</p>}
              {stage.limit && (
                <p className="text-note text-soft">
                  {stage.limit.words} {stage.limit.source}.
                </p>
              )}
              {stage.margin !== null && (
                <p className="text-note text-soft">
                  {stage.close_call ? t('sheet.sureClose') : t('sheet.sureClear')}
                </p>
              )}
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

/** Where the mechanic may look first; never a repair. */
function Hints({ sheet }: { sheet: Sheet }) {
  const { t } = useTranslation()
  const { hints } = sheet.verdict
  if (hints.length === 0) return null
  return (
    <section>
      <h2 className="mb-1 text-lead">{t('sheet.hints')}</h2>
      <ul className="grid gap-1.5">
        {hints.map((hint) => (
          <li key={hint.code} className="border-l-4 border-line pl-3">
            {hint.text}
          </li>
        ))}
      </ul>
    </section>
  )
}

function Coach({ sheet }: { sheet: Sheet }) {
  const { t } = useTranslation()
  const { coach, candidate } = sheet.verdict
  const critical = new Set(candidate.critical)
  // what already stands beside its stage is not said twice
  const said = new Set(
    sheet.verdict.stages.flatMap(({ stage, findings }) => findings.map(({ code }) => `${stage} ${code}`)),
  )
  const technique = coach.filter(
    ({ code, stage }) =>
      critical.has(code) || (candidate.minor.includes(code) && !said.has(`${stage} ${code}`)),
  )
  if (technique.length === 0) return null
  return (
    <section>
      <h2 className="mb-1 text-lead">{t('sheet.findings')}</h2>
      <ul className="grid gap-1.5">
        {technique.map((finding, i) => (
          <li
            key={i}
            className={`border-l-4 pl-3 ${critical.has(finding.code) ? 'border-clay' : 'border-line'}`}
          >
            {critical.has(finding.code) && <b className="text-clay">{t('sheet.critical')}: </b>}
            {finding.text}
          </li>
        ))}
      </ul>
    </section>
  )
}
