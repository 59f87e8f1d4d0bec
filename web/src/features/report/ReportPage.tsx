import { useTranslation } from '../../shared/i18n/useTranslation'
import { Reported } from './Reported'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useState, type ReactNode } from 'react'
import { Link, useParams } from 'react-router'
import { needlesQuery, schoolsQuery, reportQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { headOf, judgeHere, recordOf } from '../../device'
import { useRecorder } from '../../run'
import { useMay } from '../../shared/session'
import { Button, Notice, OutcomeMark } from '../../shared/ui'
import { AfterTheEnd } from './AfterTheEnd'
import { FeedComparison } from './FeedComparison'
import { examinationQuery } from './examinationQuery'
import { Examination, Withheld } from './Examination'
import { Candidate, Hints, Schools } from './Findings'
import { FromRecording } from './FromRecording'
import { Marks } from './Marks'
import { Notes } from './Notes'
import { Proposals } from './Proposals'
import { LinkedInspections } from './LinkedInspections'
import { Signing } from './Signing'
import { ReportColumn } from './ReportColumn'
import { Stages } from './Stages'
import { Timeline } from './Timeline'

type Report = Schema['ReportOut']
/** How often a candidate's screen asks whether the result has been told. */
const TOLD_LOOK_MS = 5000

export function ReportPage() {
  const { runId = '' } = useParams()
  const { t } = useTranslation()
  const { unit, language } = useFigures()
  const waiting = useWaiting(runId)
  const oversees = useMay('announceExamination')
  const { data, error, refetch, isPlaceholderData } = useQuery({
    ...reportQuery(runId, language, unit, `${waiting.marks} marks wait`),
    enabled: waiting.told,
  })
  const schools = useQuery({ ...schoolsQuery(runId, language, unit, data?.run.last_seq), enabled: !!data })
  const fed = data?.run.setup.readings === 'feed'
  const needles = useQuery({ ...needlesQuery(runId, data?.run.last_seq), enabled: fed })
  const examination = useQuery({
    ...examinationQuery(runId, language, unit),
    enabled: data?.run.setup.examined === true,
    refetchInterval: ({ state }) => (state.data?.withheld ? TOLD_LOOK_MS : false),
  })
  const here = useReportHere(runId, (waiting.marks ?? 0) > 0 && !data, waiting.marks ?? 0)
  const examined = (data ?? here.data)?.run.setup.examined === true
  if (examined && examination.data?.withheld !== false && !oversees) return <Withheld />
  if (here.data && !data) return <ReportArticle report={here.data} waits here />
  if ((waiting.marks ?? 0) > 0 && !data) {
    return (
      <div className="grid gap-3 py-8">
        <OutcomeMark outcome="pending" large />
        <p className="text-lead">{t('report.waiting')}</p>
      </div>
    )
  }
  if (!data) return <Notice error={error} onRetry={() => void refetch()} />
  return (
    <ReportArticle report={data} waits={isPlaceholderData || (waiting.marks ?? 0) > 0} needles={needles.data}>
      {schools.data && <Schools schools={schools.data} rules={data.verdict.rules} />}
    </ReportArticle>
  )
}

interface ReportArticleProps {
  report: Report
  /** Marks of the run are still on this device only. */
  waits: boolean
  /** Judged on this device, without contact. */
  here?: boolean
  needles?: Schema['StretchOut'][]
  children?: ReactNode
}

function ReportArticle({ report: data, waits, here = false, needles, children }: ReportArticleProps) {
  const { t } = useTranslation()
  const { language, unit } = useFigures()
  const runId = data.run.id
  return (
    <article className="grid gap-x-10 pt-5 lg:grid-cols-[minmax(0,1fr)_340px]">
      <div className="grid min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-6">
        <Headline report={data} />
        <Reported run={data.run} />
        {data.run.recording && <FromRecording recording={data.run.recording} />}
        {/* above everything that may come later, so that nothing moves it under a thumb */}
        <div className="no-print flex flex-wrap gap-3">
          {!here && data.run.setup.readings === 'feed' && (
            <Link
              to={`/traces?run=${runId}`}
              className="inline-grid min-h-touch place-items-center border-[1.5px] border-ink bg-sheet px-4 font-semibold"
            >
              {t('traces.onDesk')}
            </Link>
          )}
          {!here && (
            <a
              href={`/api/runs/${runId}/record`}
              download
              className="inline-grid min-h-touch place-items-center border-[1.5px] border-ink bg-sheet px-4 font-semibold"
            >
              {t('report.record')}
            </a>
          )}
          {!here && (
            <a
              href={`/api/runs/${runId}/report.pdf?lang=${language}&unit=${unit}&size=${language === 'en' ? 'letter' : 'A4'}`}
              download
              className="inline-grid min-h-touch place-items-center border-[1.5px] border-ink bg-sheet px-4 font-semibold"
            >
              {t('report.pdf')}
            </a>
          )}
          <Button onClick={() => window.print()}>{t('report.print')}</Button>
        </div>
        {waits && (
          <p role="status" data-on-device={here} className="border-l-4 border-amber pl-3 font-semibold">
            {t(here ? 'report.onDevice' : 'report.waiting')}
          </p>
        )}
        {data.did.length > 0 && (
          <ul data-did className="border-l-4 border-ink pl-3 font-semibold">
            {data.did.map((said) => (
              <li key={said}>{said}</li>
            ))}
          </ul>
        )}
        {data.run.setup.examined && !here && <Examination runId={runId} ended={data.run.ended_by !== null} />}
        {!here && <Proposals report={data} />}
        {!here && <LinkedInspections runId={runId} />}
        <AfterTheEnd report={data} />
        <Stages stages={data.verdict.stages} events={data.events} runId={runId} />
        <Hints hints={data.verdict.hints} />
        <Candidate verdict={data.verdict} purpose={data.run.purpose} />
        <Timeline timeline={data.timeline} needles={needles} />
        {!here && data.run.setup.readings === 'feed' && data.run.purpose !== 'dispatch' && (
          <FeedComparison runId={runId} lastSeq={data.run.last_seq} />
        )}
        {children}
        <Signing run={data.run} here={here} />
        <Notes runId={runId} events={data.events} />
        <Marks events={data.events} />
      </div>
      <aside className="h-[640px] border-l border-line max-lg:hidden lg:sticky lg:top-4 print:block print:max-w-96 print:break-inside-avoid print:border-0">
        <ReportColumn column={data.column} fed={data.run.setup.readings === 'feed'} />
      </aside>
    </article>
  )
}

/** The report as the core on this device makes it, for a run that waits to be sent. */
function useReportHere(runId: string, wanted: boolean, marks: number) {
  const device = useRecorder()
  const { unit, language } = useFigures()
  const recorder = 'recorder' in device ? device.recorder : null
  return useQuery({
    queryKey: ['here', 'report', runId, language, unit, marks],
    queryFn: async (): Promise<Report> => {
      if (!recorder) throw new Error('nothing is kept on this device')
      const live = await recorder.load(runId)
      const record = recordOf(live)
      const judged = await judgeHere(record, language, unit)
      return {
        run: headOf(live),
        ...judged,
        events: record.events,
        at_end: null,
        differs: null,
        looked: null,
        did: [],
        proposals: [],
      }
    },
    enabled: wanted && recorder !== null,
    networkMode: 'always',
    retry: false,
    staleTime: Infinity,
  })
}

/** How many marks of this run still wait on this device, null until known; and whether the server has heard of it. */
function useWaiting(runId: string): { marks: number | null; told: boolean } {
  const device = useRecorder()
  const recorder = 'recorder' in device ? device.recorder : null
  const [waiting, setWaiting] = useState<{ marks: number | null; told: boolean }>(
    recorder ? { marks: null, told: false } : { marks: 0, told: true },
  )
  useEffect(() => {
    if (!recorder) return
    let wanted = true
    const look = async () => {
      const [marks, told] = await Promise.all([recorder.waitingOf(runId), recorder.isTold(runId)])
      if (wanted) setWaiting({ marks, told })
    }
    void look()
    const stop = recorder.subscribe(() => void look())
    return () => {
      wanted = false
      stop()
    }
  }, [recorder, runId])
  return waiting
}

function Headline({ report }: { report: Report }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { run, verdict, outcome } = report
  const closeCall = verdict.stages.some(({ stands, close_call }) => stands && close_call)
  return (
    <header>
      {outcome === 'fail' && (
        <div className="mb-5 bg-clay px-5 py-4 text-on-clay">
          <p className="text-bar leading-none font-bold">{t('report.doNotDrive')}</p>
          <p className="mt-2">{t('report.doNotDriveBody')}</p>
        </div>
      )}
      <div className="flex flex-wrap items-center gap-x-5">
        <h1 className="text-title">
          {run.unit_name} <span className="font-normal text-soft">{t(`kind.${run.kind}`)}</span>
        </h1>
        <OutcomeMark outcome={outcome} closeCall={closeCall} large />
        {outcome === 'pass' && (
          <span className="text-soft">
            {t('report.limited', { limited: verdict.limited, required: verdict.required })}
          </span>
        )}
      </div>
      {run.doubtful && (
        <p className="mt-2 border-l-4 border-amber pl-3 font-semibold">{t('report.doubtful')}</p>
      )}
      {outcome === 'void' && <p className="mt-2 text-lead">{t('report.void')}</p>}
      <dl className="mt-3 flex flex-wrap gap-x-8 gap-y-1">
        <Fact name={t('report.started')}>
          <span className="print:hidden">{figures.when(run.started_at)}</span>
          <span className="hidden print:inline">{figures.date(run.started_at)}</span>
        </Fact>
        <Fact name={t('report.driver')}>{run.driver || t('log.nobody')}</Fact>
        {run.setup.watcher && <Fact name={t('report.watcher')}>{run.setup.watcher}</Fact>}
        <Fact name={t('report.purpose')}>{t(`report.purposes.${run.purpose}`)}</Fact>
        <Fact name={t('report.judgedBy')}>{run.rules_title[figures.language]}</Fact>
        {run.begun_by && run.begun_by !== run.driver && (
          <Fact name={t('report.begunBy')}>{run.begun_by}</Fact>
        )}
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
