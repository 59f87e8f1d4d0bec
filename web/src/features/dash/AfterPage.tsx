import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { askCore } from '../../device'
import { useRecorder } from '../../run'
import { api, need, type Schema } from '../../shared/api'
import { clockFace } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { Notice, OutcomeMark, type AnyOutcome } from '../../shared/ui'
import { Compare } from './Compare'
import { Debrief } from './Debrief'
import { nameOf, TruthChart, type After, type TrueMark } from './TruthChart'

/** After a practice: the truth beside what was marked. */
export function AfterPage() {
  const { practiceId = '' } = useParams()
  const { t } = useTranslation()
  const { language, unit } = useFigures()
  const device = useRecorder()
  const recorder = 'recorder' in device ? device.recorder : null
  const after = useQuery({
    queryKey: ['practice-after', practiceId, language, unit],
    networkMode: 'always',
    retry: false,
    queryFn: async () => {
      const here = (await (await recorder?.practices())?.here())?.find(({ id }) => id === practiceId)
      if (here?.after) {
        const after = (await askCore('practice_text', [JSON.stringify(here.after), language, unit])) as After
        return { title: here.title, at: here.startedWall, after }
      }
      const kept = await need(
        api.GET('/api/practices/{practice_id}', { params: { path: { practice_id: practiceId } } }),
      )
      if (!kept.after) throw new Error(t('practice.truth.unsaid'))
      return { title: kept.head.title, at: kept.head.began_at, after: kept.after as unknown as After }
    },
  })
  if (after.error) return <p className="py-6 font-semibold text-clay">{after.error.message}</p>
  if (!after.data) return <Notice />
  return <Truth {...after.data} practiceId={practiceId} />
}

interface TruthProps {
  practiceId: string
  title: string
  at: string
  after: After
}

function Truth({ practiceId, title, at, after }: TruthProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const [chosen, setChosen] = useState<TrueMark>()
  const faulty = after.faults.length > 0
  const may = after.outcome === 'pass'
  const judged = after.outcome === 'pass' || after.outcome === 'fail'
  const { debrief } = after
  const [moment, setMoment] = useState<number>()
  const line = !judged ? 'unsaid' : (`${may ? 'pass' : 'fail'}${faulty ? 'Faulty' : 'Sound'}` as 'passSound')
  return (
    <div className="py-4">
      <div className="flex flex-wrap items-end justify-between gap-4">
        <div>
          <h1 className="text-title">
            {debrief?.headline ?? t(`practice.truth.${line}`)}{' '}
            <span className="border border-ink px-1.5 align-middle text-note font-bold">
              {t('practice.simulated')}
            </span>
          </h1>
          <p className="mt-1">
            {faulty
              ? t('practice.truth.hidden', { faults: after.faults.map((fault) => fault.title).join(', ') })
              : t('practice.truth.nothing')}{' '}
            {after.changed && t('practice.truth.changed')}
          </p>
          {after.faults.map((fault) => (
            <p key={fault.id} className="text-note text-soft">
              {fault.shows}
            </p>
          ))}
        </div>
        <p className="text-note text-soft">
          {title} · {figures.date(at)}
          <Link to="/practice" className="ml-4 font-semibold underline">
            {t('practice.truth.another')}
          </Link>
        </p>
      </div>
      <TruthChart key={moment} after={after} chosen={chosen} from={moment} />
      {debrief && <Debrief debrief={debrief} onTime={setMoment} />}
      <div className="mt-5 grid gap-8 lg:grid-cols-[minmax(0,1.3fr)_minmax(0,1fr)]">
        <Marks after={after} onChoose={setChosen} />
        <Verdict verdict={after.verdict as unknown as Schema['ReportOut']['verdict']} />
      </div>
      {debrief && <Compare {...{ practiceId, after, debrief }} />}
      <p className="mt-6 text-[13px] break-all text-soft">
        {t('practice.truth.sworn', { hash: after.opened.commitment })}
      </p>
      <p className="text-note text-soft">{t('practice.caution')}</p>
    </div>
  )
}

const LATE_PX = 26
const LATE_MOST = 4

/** Each mark beside its true moment: how late as a bar, what was set, what the needle showed, what was true. */
function Marks({ after, onChoose }: { after: After; onChoose: (mark: TrueMark | undefined) => void }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const values = (psi: number[] | null) => (psi ? psi.map((one) => figures.reading(one)).join(' · ') : '–')
  return (
    <section className="min-w-0 overflow-x-auto" tabIndex={0}>
      <h2 className="text-lead font-bold">{t('practice.truth.marked')}</h2>
      <table className="mt-2 w-full text-left">
        <thead className="text-note text-soft">
          <tr>
            <th className="font-normal" />
            <th className="font-normal">{t('practice.truth.late')}</th>
            <th className="text-right font-normal">{t('practice.truth.read')}</th>
            <th className="text-right font-normal">{t('practice.truth.needle')}</th>
            <th className="text-right font-normal">{t('practice.truth.tanks')}</th>
          </tr>
        </thead>
        <tbody>
          {after.marks.map((mark, n) => {
            const late = mark.kind === 'settled' && (mark.late_s ?? 0) > 0 ? 0 : (mark.late_s ?? 0)
            const wide = Math.min(late < 0 ? 1.2 : LATE_MOST, Math.abs(late)) * LATE_PX
            const bad = mark.quality !== 'good'
            return (
              <tr
                key={n}
                tabIndex={0}
                onFocus={() => onChoose(mark)}
                onMouseEnter={() => onChoose(mark)}
                className="border-t border-line hover:bg-hair focus:bg-hair"
                data-quality={mark.quality}
              >
                <th scope="row" className="py-2 pr-2 font-normal">
                  <span className="num mr-2 text-soft">{clockFace(mark.at_s)}</span>
                  {t(`practice.truth.marks.${nameOf(mark)}`)}
                  {bad && (
                    <b className="ml-2 text-clay">{t(`practice.truth.quality.${mark.quality as 'late'}`)}</b>
                  )}
                </th>
                <td>
                  {mark.late_s !== null && (
                    <svg
                      width={LATE_PX * (LATE_MOST + 2.4)}
                      height="18"
                      role="img"
                      aria-label={`${mark.late_s} s`}
                    >
                      <rect x={LATE_PX * 0.2} width={LATE_PX * 2} height="18" className="fill-hair" />
                      <path d={`M${LATE_PX * 1.2} 0V18`} className="stroke-ink" />
                      <rect
                        x={late < 0 ? LATE_PX * 1.2 - wide : LATE_PX * 1.2}
                        y="5"
                        width={Math.max(1.5, wide)}
                        height="8"
                        className={bad ? 'fill-clay' : 'fill-ink'}
                      />
                      <text
                        x={LATE_PX * 1.2 + (late < 0 ? 3 : wide) + 5}
                        y="14"
                        fontSize="13"
                        className={`num ${bad ? 'fill-clay' : 'fill-soft'}`}
                      >
                        {late > 0 ? '+' : ''}
                        {figures.seconds(late).replace('-', '−')}
                      </text>
                    </svg>
                  )}
                </td>
                <td className="num text-right text-lead">
                  {values(mark.typed_psi)}
                  {mark.whose && (
                    <span className={`block text-note ${mark.whose === 'dial' ? 'text-soft' : 'text-clay'}`}>
                      {t(`learn.debrief.whose.${mark.whose}`)}
                    </span>
                  )}
                </td>
                <td className="num text-right text-lead text-soft">{values(mark.shown_psi)}</td>
                <td className="num text-right text-lead text-air">{values(mark.true_psi)}</td>
              </tr>
            )
          })}
        </tbody>
      </table>
      <p className="mt-1 text-note text-soft">{t('practice.truth.within')}</p>
    </section>
  )
}

function Verdict({ verdict }: { verdict: Schema['ReportOut']['verdict'] }) {
  const { t } = useTranslation()
  return (
    <section>
      <h2 className="text-lead font-bold">{t('report.stages')}</h2>
      <ul className="mt-2">
        {verdict.stages.map((stage, n) => (
          <li key={n} className="border-t border-line py-1.5">
            <span className="flex items-baseline justify-between gap-3">
              <b>{t(`step.${stage.stage}`)}</b>
              <OutcomeMark outcome={stage.outcome as AnyOutcome} closeCall={stage.close_call} />
            </span>
            {stage.arithmetic && <span className="num block text-soft">{stage.arithmetic}</span>}
            {stage.findings.map((finding, place) => (
              <span key={place} className="block text-note">
                {finding.text}
              </span>
            ))}
          </li>
        ))}
      </ul>
    </section>
  )
}
