import { useMutation } from '@tanstack/react-query'
import { Link, useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { askCore } from '../../device'
import { useRecorder } from '../../run'
import { clockFace } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { Button } from '../../shared/ui'

type Called = 'good' | 'bad' | 'grey' | null

interface Advice {
  title: string
  advice: string
  group: string
  critical: boolean
}

/** A debrief as the core tells it. */
export interface Debriefed {
  headline: string
  mode: 'free' | 'led' | 'memory' | 'exam' | 'diagnosis'
  lesson: { id: string; drive: number } | null
  passed: boolean | null
  criteria: { name: string; met: boolean; text: string }[]
  score: {
    total: number
    band: 'ready' | 'nearly' | 'not_yet'
    critical: string[]
    parts: {
      group: string
      title: string
      points: number
      whole: number
      costs: { text: string; points: number }[]
    }[]
  }
  findings: ({ code: string; at_s: number | null; stage: string | null } & Advice)[]
  squares: Record<
    string,
    {
      title: string
      said: Called
      own: Called
      true: Called
      square: string
      text: string
      truth: string | null
    }
  >
  overall: { said: Called; own: Called; true: Called; square: string }
  calls: { due: number; made: number; taken: boolean }
  waste: { minutes: number; reference_minutes: number; refills: number; reference_refills: number } | null
  road: string[]
  unseen: { id: string; title: string; shows: string }[]
  sheet: {
    parts: { part: string; title: string; given: string; answers: string; right: boolean }[]
    right: boolean
  } | null
  next: ({ code: string; lesson: string | null; lesson_title: string | null } & Advice) | null
  next_drive: { lesson: Record<string, unknown>; drive: number } | null
}

/** What comes first: what was asked and shown, what was critical, what to practise next. */
export function Debrief({ debrief, onTime }: { debrief: Debriefed; onTime: (at_s: number) => void }) {
  const { t } = useTranslation()
  return (
    <div className="mt-5 grid gap-x-10 gap-y-7 lg:grid-cols-2" data-band={debrief.score.band}>
      <Asked debrief={debrief} />
      <Next debrief={debrief} />
      <Squares debrief={debrief} />
      <Score debrief={debrief} />
      <Findings debrief={debrief} onTime={onTime} />
      <div className="grid content-start gap-5">
        {debrief.sheet && <DiagnosisAnswers sheet={debrief.sheet} />}
        <Road debrief={debrief} />
        <p className="text-note text-soft">{t('learn.debrief.coarse')}</p>
      </div>
    </div>
  )
}

function Asked({ debrief }: { debrief: Debriefed }) {
  const { t } = useTranslation()
  if (debrief.criteria.length === 0) return null
  // what was kept clear of goes without saying; what was not is said first
  const told = debrief.criteria.filter(({ name, met }) => name !== 'never' || !met)
  const rows = [...told].sort((a, b) => Number(a.met) - Number(b.met))
  return (
    <section data-passed={debrief.passed}>
      <h2 className="text-lead font-bold">
        {t('learn.debrief.asked')}{' '}
        <span className={debrief.passed ? '' : 'text-clay'}>
          {t(debrief.passed ? 'learn.debrief.passed' : 'learn.debrief.failed')}
        </span>
      </h2>
      <ul className="mt-1">
        {rows.map(({ name, met, text }, n) => (
          <li
            key={n}
            data-criterion={name}
            data-met={met}
            className="flex items-center gap-2 border-t border-line py-1"
          >
            <svg width="14" height="14" aria-hidden>
              {met ? (
                <rect width="14" height="14" className="fill-ink" />
              ) : (
                <path d="M0 14V0L14 14Z" className="fill-clay" />
              )}
            </svg>
            <span className={met ? '' : 'font-semibold text-clay'}>{text}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}

function Next({ debrief }: { debrief: Debriefed }) {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const device = useRecorder()
  const { next, next_drive } = debrief
  const begin = useMutation({
    networkMode: 'always',
    mutationFn: async (drive: NonNullable<Debriefed['next_drive']>) => {
      if (!('recorder' in device)) throw new Error(t('setup.storage', { why: device.refusal }))
      const given = [JSON.stringify(drive.lesson), String(drive.drive), 'false', '']
      const choice = (await askCore('practice_lesson', given)) as Record<string, unknown>
      const seed = crypto.getRandomValues(new Uint32Array(1))[0] ?? 0
      const practices = await device.recorder.practices()
      return practices.begin({ title: t('learn.drive', { n: drive.drive + 1 }), choice: { ...choice, seed } })
    },
    onSuccess: (id) => void navigate(`/practice/${id}`),
  })
  return (
    <section className="border-l-8 border-air pl-4">
      {next && (
        <>
          <h2 className="text-lead font-bold">{t('learn.debrief.next')}</h2>
          <p className="mt-1 text-lead first-letter:uppercase">{next.title}</p>
          <p className="mt-1">{next.advice}</p>
        </>
      )}
      <div className="mt-3 flex flex-wrap items-center gap-4">
        {next_drive && (
          <Button tone="air" disabled={begin.isPending} onClick={() => begin.mutate(next_drive)}>
            {t(debrief.passed ? 'learn.debrief.nextDrive' : 'learn.again', { n: next_drive.drive + 1 })}
          </Button>
        )}
        <Link
          to="/learn"
          className="inline-flex min-h-touch items-center font-semibold underline underline-offset-4"
        >
          {next?.lesson_title
            ? t('learn.debrief.toLesson', { title: next.lesson_title })
            : t('learn.debrief.ladder')}
        </Link>
      </div>
    </section>
  )
}

const CALLED_STYLE = { good: '', bad: 'text-clay font-bold', grey: 'text-soft', none: 'text-soft' }

function Squares({ debrief }: { debrief: Debriefed }) {
  const { t } = useTranslation()
  const called = (value: Called) => (
    <span className={CALLED_STYLE[value ?? 'none']}>{t(`learn.debrief.called.${value ?? 'none'}`)}</span>
  )
  const rows = Object.entries(debrief.squares)
  if (rows.length === 0) return null
  return (
    <section className="min-w-0 overflow-x-auto" tabIndex={0}>
      <h2 className="text-lead font-bold">{t('learn.debrief.squares')}</h2>
      <table className="mt-1 w-full text-left">
        <thead className="text-note text-soft">
          <tr>
            <th className="font-normal" />
            <th className="pr-2 font-normal">{t('learn.debrief.said')}</th>
            <th className="pr-2 font-normal">{t('learn.debrief.own')}</th>
            <th className="font-normal text-air">{t('learn.debrief.true')}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([stage, one]) => (
            <tr key={stage} data-square={one.square} className="border-t border-line align-top">
              <th scope="row" className="py-1.5 pr-3 font-semibold">
                {one.title}
                <span className="block font-normal text-note">
                  {one.square === 'right' ? (
                    <span className="text-soft">{one.text}</span>
                  ) : (
                    <b className="text-clay">{one.text}</b>
                  )}
                </span>
                {one.truth && <span className="num block text-note font-normal text-air">{one.truth}</span>}
              </th>
              <td className="py-1.5 pr-2">{called(one.said)}</td>
              <td className="py-1.5 pr-2">{called(one.own)}</td>
              <td className="py-1.5">{called(one.true)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}

const BAR_COLUMNS = { gridTemplateColumns: '6.5rem minmax(0, 1fr) 4.5rem' }

/** Five bars and the points that are missing from each; the sum is small and never alone. */
function Score({ debrief }: { debrief: Debriefed }) {
  const { t } = useTranslation()
  const { score, calls, waste } = debrief
  return (
    <section>
      <h2 className="text-lead font-bold">{t('learn.debrief.why')}</h2>
      <ul className="mt-1 grid gap-1.5">
        {score.parts.map((part) => (
          <li key={part.group} className="grid items-center gap-3" style={BAR_COLUMNS}>
            <span>{part.title}</span>
            <span className="relative h-4 border-[1.5px] border-ink">
              <span
                className="absolute inset-0 bg-ink"
                style={{ width: `${(100 * part.points) / part.whole}%` }}
              />
            </span>
            <span className="num text-right">
              {Math.round(part.points)} / {part.whole}
            </span>
            {part.costs.length > 0 && (
              <span className="text-note text-clay" style={{ gridColumn: '2 / span 2' }}>
                {part.costs
                  .map(({ text, points }) => `${text} ${t('learn.debrief.cost', { points })}`)
                  .join(' · ')}
              </span>
            )}
          </li>
        ))}
      </ul>
      <p className="mt-2 text-note text-soft">
        {t('learn.debrief.score', { total: score.total })} ·{' '}
        {calls.taken
          ? t('learn.debrief.words', { made: calls.made, due: calls.due })
          : t('learn.debrief.untaken')}
        {waste &&
          ` · ${t('learn.debrief.time', {
            minutes: waste.minutes,
            refills: waste.refills,
            least: waste.reference_minutes,
            fewest: waste.reference_refills,
          })}`}
      </p>
    </section>
  )
}

function Findings({ debrief, onTime }: { debrief: Debriefed; onTime: (at_s: number) => void }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const rows = [...debrief.findings].sort((a, b) => Number(b.critical) - Number(a.critical))
  return (
    <section>
      <h2 className="text-lead font-bold">{t('learn.debrief.findings')}</h2>
      {rows.length === 0 && <p className="mt-1">{t('learn.debrief.none')}</p>}
      <ul className="mt-1">
        {rows.map((one, n) => (
          <li
            key={n}
            data-finding={one.code}
            className={`border-t border-line py-1.5 ${one.critical ? 'border-l-8 border-clay pl-3' : ''}`}
          >
            <span className="flex flex-wrap items-baseline gap-x-3">
              <b className="inline-block first-letter:uppercase">{one.title}</b>
              {one.critical && <b className="text-clay">{t('learn.debrief.critical')}</b>}
              {one.at_s !== null && (
                <button
                  type="button"
                  onClick={() => onTime(one.at_s ?? 0)}
                  className="num min-h-touch min-w-touch underline underline-offset-4"
                  aria-label={t('practice.truth.at', { time: clockFace(one.at_s) })}
                >
                  {clockFace(one.at_s)}
                </button>
              )}
            </span>
            <span className="block text-soft" lang={figures.language}>
              {one.advice}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

function DiagnosisAnswers({ sheet }: { sheet: NonNullable<Debriefed['sheet']> }) {
  const { t } = useTranslation()
  return (
    <section data-report={sheet.right}>
      <h2 className="text-lead font-bold">{t('learn.sheetTitle')}</h2>
      <table className="mt-1 w-full text-left">
        <thead className="text-note text-soft">
          <tr>
            <th className="font-normal" />
            <th className="font-normal">{t('learn.debrief.said')}</th>
            <th className="font-normal text-air">{t('learn.debrief.true')}</th>
          </tr>
        </thead>
        <tbody>
          {sheet.parts.map(({ part, title, given, answers, right }) => (
            <tr key={part} data-right={right} className="border-t border-line">
              <th scope="row" className="py-1 pr-2 font-semibold">
                {title}
              </th>
              <td className={right ? '' : 'font-bold text-clay'}>{given || '–'}</td>
              <td className="text-air">{answers}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}

function Road({ debrief }: { debrief: Debriefed }) {
  const { t } = useTranslation()
  return (
    <>
      {debrief.road.length > 0 && (
        <section>
          <h2 className="text-lead font-bold">{t('learn.debrief.road')}</h2>
          {debrief.road.map((line) => (
            <p key={line} className="mt-1 text-lead">
              {line}
            </p>
          ))}
        </section>
      )}
      {debrief.unseen.length > 0 && (
        <section>
          <h2 className="text-lead font-bold">{t('learn.debrief.unseen')}</h2>
          {debrief.unseen.map(({ id, title, shows }) => (
            <p key={id} className="mt-1">
              <b>{title}.</b> <span className="text-soft">{shows}</span>
            </p>
          ))}
        </section>
      )}
    </>
  )
}
