import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState, type ReactNode } from 'react'
import { Link, useParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Recorder } from '../../device'
import {
  inspectionQuery,
  inspectionScriptQuery,
  inspectionStateQuery,
  rulebookQuery,
  type Schema,
} from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, Notice, SelectField } from '../../shared/ui'
import { Answered, useRecorder, useInspection } from '../../run'

type State = Schema['InspectionStateOut']
type Line = Schema['InspectionAnswerOut']

/** The inspection's own report: what is not right, what was not looked at, the numbers, who and how long. */
export function InspectionReport() {
  const { inspectionId = '' } = useParams()
  const device = useRecorder()
  const recorder = 'recorder' in device ? device.recorder : null
  const [waits, setWaits] = useState<boolean>()
  useEffect(() => {
    let wanted = true
    const none = () => wanted && setWaits(false)
    if (!recorder) none()
    else
      void recorder
        .inspections()
        .then((inspections) =>
          inspections.waitingOf(inspectionId).then((count) => wanted && setWaits(count > 0), none),
        )
    return () => void (wanted = false)
  }, [recorder, inspectionId])
  if (waits === undefined) return <Notice />
  if (waits && recorder)
    return <WaitingReport {...{ recorder, inspectionId }} onSent={() => setWaits(false)} />
  return <SentReport inspectionId={inspectionId} />
}

/** The report of an inspection that the server has not heard whole yet: as it was judged on this device. */
function WaitingReport({
  recorder,
  inspectionId,
  onSent,
}: {
  recorder: Recorder
  inspectionId: string
  onSent: () => void
}) {
  const { t } = useTranslation()
  const here = useInspection(recorder, inspectionId)
  const sent =
    typeof here !== 'string' &&
    !here.live.inspection.begin &&
    here.live.events.every(({ delivery }) => delivery !== 'waiting')
  const queries = useQueryClient()
  const { language, unit } = useFigures()
  useEffect(() => {
    if (!sent) return
    // what the server says of it is here before it takes the place of what this device says
    void Promise.all([
      queries.prefetchQuery(inspectionQuery(inspectionId)),
      queries.prefetchQuery(inspectionStateQuery(inspectionId, '', language, unit)),
    ]).then(onSent)
  })
  if (typeof here === 'string' || !here.state) return <Notice />
  const { inspection } = here.live
  const { trailers } = inspection.record.unit as { trailers: { name: string }[] }
  const { driver = '' } = (inspection.record.people ?? {}) as { driver?: string }
  const head = {
    ...{ id: inspection.id, unit_name: inspection.unitName, trailers: trailers.map(({ name }) => name) },
    ...{ started_at: inspection.startedWall, driver, helpers: [], rules: inspection.script.rules },
    ...{ ended_by: here.fold.ended ? ('finished' as const) : null, run_id: inspection.runId ?? null },
  }
  return (
    <>
      <p role="status" className="mt-4 border-l-4 border-amber bg-sheet px-3 py-2 font-semibold">
        {t('inspection.report.waits')}
      </p>
      <Report
        {...{ head }}
        state={here.state}
        script={inspection.script}
        rules=""
        title={t('inspection.report.title')}
      />
    </>
  )
}

function SentReport({ inspectionId }: { inspectionId: string }) {
  const { t } = useTranslation()
  const { language, unit } = useFigures()
  const [rules, setRules] = useState('')
  const head = useQuery(inspectionQuery(inspectionId))
  const state = useQuery(inspectionStateQuery(inspectionId, rules, language, unit))
  const script = useQuery(inspectionScriptQuery(inspectionId, language, unit)).data
  if (!head.data || !state.data) {
    return (
      <Notice
        error={head.error ?? state.error}
        onRetry={() => void Promise.all([head.refetch(), state.refetch()])}
      />
    )
  }
  return (
    <Report
      head={head.data.head}
      state={state.data}
      {...{ rules, setRules, script }}
      title={t('inspection.report.title')}
    />
  )
}

interface ReportProps {
  head: Pick<
    Schema['InspectionOut'],
    'id' | 'unit_name' | 'trailers' | 'started_at' | 'driver' | 'helpers' | 'rules' | 'ended_by' | 'run_id'
  >
  state: State
  script: Schema['InspectionScriptOut'] | undefined
  rules: string
  /** Absent where only the rules of the day are on this device. */
  setRules?: (rules: string) => void
  title: string
}

function Report({ head, state, script, rules, setRules, title }: ReportProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { language } = figures
  const schools = useQuery(rulebookQuery()).data?.rules ?? []
  const of = (outcome: Line['outcome']) => state.items.filter((one) => one.outcome === outcome)
  // what may wait for the next service is noted, and goes on no report
  const found = of('not_right')
  const wrong = found.filter(({ consequence }) => consequence !== 'note')
  const noted = found.filter(({ consequence }) => consequence === 'note')
  const unseen = [...of('unseen'), ...of('speech')]
  const seenOnly = byName(of('unmeasured'))
  const measured = state.items.filter(({ shown }) => shown)
  const answered = new Set(state.items.filter(({ outcome }) => outcome !== 'open').map(({ key }) => key))
  // only what was named: nothing is printed because it could have been said
  const said = state.items.filter((one) => one.said === true)
  const open = (script?.asks ?? []).filter(({ key }) => !answered.has(key))
  const findings = state.items.flatMap((one) => one.findings.map((finding) => ({ ...finding, line: one })))
  const minutes = Math.max(1, Math.round(state.took_s / 60))
  return (
    <article className="max-w-4xl py-5" data-inspection-report>
      <header className="grid gap-2">
        <p className="text-note text-soft">{title}</p>
        {state.worst === 'stay' && <p className="text-bar font-bold text-clay">{t('inspection.stays')}.</p>}
        <h1 className="text-title">
          {[head.unit_name, ...head.trailers].join(' + ')}{' '}
          <span data-complete={state.complete} className="font-normal text-soft">
            {t(state.complete ? 'inspection.report.complete' : 'inspection.report.notComplete')}
          </span>
        </h1>
        <p>
          {figures.date(head.started_at)}, {head.driver}
          {head.helpers.length > 0 && `. ${t('inspection.report.helpers')}: ${head.helpers.join(', ')}`}.{' '}
          {t('inspection.report.counted', { done: state.of - state.left, of: state.of })}.{' '}
          {t('inspection.report.took', { minutes })}.
        </p>
        {state.while_filling > 0 && (
          <p data-while-filling={state.while_filling} className="font-semibold">
            {t('inspection.whileBuilt', { count: state.while_filling })}
          </p>
        )}
        <div className="no-print flex flex-wrap items-end gap-4">
          {setRules && schools.length > 0 && (
            <SelectField
              label={t('inspection.report.school')}
              value={rules || head.rules}
              options={schools.map((one) => ({ value: one.id, text: one.title[language] ?? one.id }))}
              className="block min-h-touch w-full border-[1.5px] border-ink bg-sheet px-3"
              onChange={(event) => setRules(event.target.value)}
            />
          )}
          <Button onClick={() => window.print()}>{t('inspection.report.print')}</Button>
          <a
            href={`/api/inspections/${head.id}/record`}
            className="inline-flex min-h-touch items-center underline underline-offset-4"
          >
            {t('inspection.report.record')}
          </a>
          {!head.ended_by && (
            <Link
              to={`/inspection/${head.id}`}
              className="inline-flex min-h-touch items-center font-semibold text-air underline underline-offset-4"
            >
              {t('inspection.report.goOn')}
            </Link>
          )}
          {head.run_id && (
            <Link
              to={`/runs/${head.run_id}`}
              className="inline-flex min-h-touch items-center underline underline-offset-4"
            >
              {t('inspection.report.toTest')}
            </Link>
          )}
        </div>
      </header>
      <Part title={t('inspection.report.report')}>
        {wrong.length === 0 ? (
          <p>{t('inspection.report.reportNone')}</p>
        ) : (
          <ul className="grid gap-2">
            {wrong.map((one) => (
              <li
                key={one.key}
                data-not-right={one.key}
                className="border-l-8 border-clay bg-sheet px-3 py-2"
              >
                <b>{one.not_so}</b> <span className="text-soft">{one.where}</span>
                {one.limit && <span className="text-soft"> ({one.limit})</span>}
                <span className="block">
                  {one.consequence ? t(`acts.consequence.${one.consequence}`) : t('inspection.none')}
                  {one.teaching && `, ${t('inspection.teaching')}`}
                  {one.report && <span className="text-soft"> ({one.report})</span>}
                </span>
                <span className="block text-note text-soft">
                  {[one.note, one.by].filter(Boolean).join(', ')}
                </span>
              </li>
            ))}
          </ul>
        )}
        {noted.length > 0 && (
          <Lines title={t('acts.consequence.note')} lines={noted} text={({ not_so }) => not_so} />
        )}
        {of('fixed').length > 0 && (
          <Lines title={t('inspection.report.fixed')} lines={of('fixed')} text={({ not_so }) => not_so} />
        )}
      </Part>
      {(unseen.length > 0 || open.length > 0) && (
        <Part title={t('inspection.report.notSeen')}>
          <ul>
            {unseen.map((one) => (
              <li key={one.key} className="flex items-baseline gap-2 border-b border-line py-1">
                <Answered told={one.answer ?? undefined} />
                <span>
                  {one.name} <span className="text-soft">{one.where}</span>{' '}
                  <span className="text-note text-soft">
                    {one.findings.map(({ text }) => text).join('; ')}
                  </span>
                </span>
              </li>
            ))}
            {open.map(({ key, item, where }) => (
              <li key={key} className="flex items-baseline gap-2 border-b border-line py-1">
                <Answered told={undefined} />
                <span>
                  {script?.items[item]?.name} <span className="text-soft">{where}</span>
                </span>
              </li>
            ))}
          </ul>
        </Part>
      )}
      {seenOnly.length > 0 && (
        <Part title={t('inspection.report.seenOnly')}>
          <ul>
            {seenOnly.map(([name, lines]) => (
              <li key={name} className="flex items-baseline gap-2 border-b border-line py-1">
                <Answered told="seen_not_measured" />
                <span>
                  {name}{' '}
                  <span className="text-soft">
                    {lines
                      .map(({ where }) => where)
                      .filter(Boolean)
                      .join(' · ')}
                  </span>
                </span>
              </li>
            ))}
          </ul>
        </Part>
      )}
      {measured.length > 0 && (
        <Part title={t('inspection.report.measured')}>
          <table className="w-full text-left">
            <tbody>
              {measured.map((one) => (
                <tr key={one.key} className="border-b border-line">
                  <td className="py-1">
                    {one.name} <span className="text-soft">{one.where}</span>
                  </td>
                  <td className={`num py-1 text-lead ${one.outcome === 'not_right' ? 'text-clay' : ''}`}>
                    {one.shown}
                  </td>
                  <td className="py-1 text-note text-soft">{one.limit}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Part>
      )}
      {(findings.length > 0 || state.findings.length > 0) && (
        <Part title={t('inspection.report.findings')}>
          <ul className="list-inside list-disc">
            {state.findings.map(({ code, text }) => (
              <li key={code} data-finding={code} className="font-semibold">
                {text}
              </li>
            ))}
            {findings.map(({ code, text, line }) => (
              <li key={line.key + code} data-finding={code}>
                {line.name} <span className="text-soft">{line.where}</span>: {text}
              </li>
            ))}
          </ul>
        </Part>
      )}
      {said.length > 0 && (
        <Part title={t('inspection.report.said')}>
          <ol className="list-inside list-decimal columns-1 gap-8 sm:columns-2">
            {said.map(({ key, say, where }) => (
              <li key={key} className="py-0.5 text-note">
                {say} <span className="text-soft">{where}</span>
              </li>
            ))}
          </ol>
        </Part>
      )}
    </article>
  )
}

/** Lines of the same item together, in the order in which they come. */
function byName(lines: Line[]): [string, Line[]][] {
  const found = new Map<string, Line[]>()
  for (const line of lines) found.set(line.name, [...(found.get(line.name) ?? []), line])
  return [...found]
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mt-6">
      <h2 className="mb-2 border-b-2 border-ink text-figure">{title}</h2>
      {children}
    </section>
  )
}

function Lines({ title, lines, text }: { title: string; lines: Line[]; text: (line: Line) => string }) {
  return (
    <div className="mt-3">
      <b>{title}</b>
      <ul>
        {lines.map((one) => (
          <li key={one.key}>
            {text(one)}{' '}
            <span className="text-soft">{[one.where, one.note, one.by].filter(Boolean).join(', ')}</span>
          </li>
        ))}
      </ul>
    </div>
  )
}
