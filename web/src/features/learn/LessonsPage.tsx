import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { useRecorder } from '../../run'
import { api, need, rulebookQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useSession } from '../../shared/session'
import { Button, FormError, Notice, SelectField } from '../../shared/ui'
import { Invitations } from './Invitations'
import { lessonChoice, progressQuery, useLessons, type Lesson } from './core'
import { BringLesson, HandleLesson } from './OwnLesson'
import { Readiness } from './Readiness'
import { StateShape } from './shapes'

type Status = Schema['LessonStatusOut']
type OwnLesson = Schema['OwnLessonOut']

/** The ladder of lessons: what is open, what was passed, what is set, and where to go on. */
export function LessonsPage() {
  const { t } = useTranslation()
  const { date } = useFigures()
  const { me } = useSession()
  const known = useLessons()
  const progress = useQuery(progressQuery(me.person?.id ?? '')).data
  const [open, setOpen] = useState<string>()
  const [opened] = useState(() => Date.now())
  if (!known.data) return known.error ? <FormError error={known.error} /> : <Notice />
  const stands = new Map(progress?.lessons.map((one) => [one.id, one]))
  const next = known.data.lessons.find(({ id }) => {
    const state = stands.get(id)?.state
    return state === 'open' || state === 'begun'
  })
  const shown = open ?? next?.id ?? known.data.lessons[0]?.id
  return (
    <div className="max-w-6xl py-3">
      <h1 className="text-title">{t('learn.title')}</h1>
      <p className="mt-1 max-w-prose">{t('learn.lead')}</p>
      <Invitations />
      {progress && progress.assigned.length > 0 && (
        <section className="mt-4 border-l-8 border-ink pl-3">
          <h2 className="font-bold">{t('learn.set')}</h2>
          <ul>
            {progress.assigned.map(({ id, lesson, due_at, class_name }) => {
              const row = known.data.lessons.find((one) => one.id === lesson)
              const past = Date.parse(due_at) < opened
              return (
                <li key={id}>
                  <button
                    type="button"
                    onClick={() => setOpen(lesson)}
                    className="min-h-touch font-semibold underline underline-offset-4"
                  >
                    {row?.title ?? lesson}
                  </button>{' '}
                  <span className={past ? 'font-semibold text-clay' : 'text-soft'}>
                    {t(past ? 'learn.past' : 'learn.due', { when: date(due_at) })} · {class_name}
                  </span>
                </li>
              )
            })}
          </ul>
        </section>
      )}
      <div className="mt-5 grid gap-8 lg:grid-cols-2">
        <ol className="grid content-start border-t border-line">
          {known.data.lessons.map((lesson) => (
            <Rung
              key={lesson.id}
              lesson={lesson}
              status={stands.get(lesson.id)}
              chosen={lesson.id === shown}
              onChoose={() => setOpen(lesson.id)}
            />
          ))}
        </ol>
        <div className="grid content-start gap-8">
          {known.data.lessons
            .filter(({ id }) => id === shown)
            .map((lesson) => (
              <OneLesson
                key={lesson.id}
                lesson={lesson}
                status={stands.get(lesson.id)}
                lessons={known.data.lessons}
                asksOrder={known.data.examiner.order ?? ''}
                kept={known.own?.find(({ id }) => id === lesson.id)}
              />
            ))}
          {progress && <Readiness progress={progress} />}
          <BringLesson />
          {progress && <Yours personId={progress.person_id} />}
        </div>
      </div>
      <p className="mt-6 max-w-prose text-note text-soft">{t('practice.caution')}</p>
    </div>
  )
}

interface RungProps {
  lesson: Lesson
  status: Status | undefined
  chosen: boolean
  onChoose: () => void
}

function Rung({ lesson, status, chosen, onChoose }: RungProps) {
  const { t } = useTranslation()
  const state = status?.state ?? 'locked'
  return (
    <li className="border-b border-line">
      <button
        type="button"
        aria-pressed={chosen}
        data-lesson={lesson.id}
        onClick={onChoose}
        className={`flex min-h-12 w-full items-center gap-2 px-1 text-left ${chosen ? 'bg-ink text-on-ink' : ''}`}
      >
        <span className={`num w-8 text-lead ${chosen ? '' : 'text-soft'}`}>{lesson.number}</span>
        <span className={chosen ? 'bg-paper p-px' : ''}>
          <StateShape state={state} label={t(`learn.state.${state}`)} />
        </span>
        <b className={`grow ${state === 'locked' && !chosen ? 'font-normal text-soft' : ''}`}>
          {lesson.title}
        </b>
        <span className={`text-note ${chosen ? '' : 'text-soft'}`}>{t(`learn.mode.${lesson.mode}`)}</span>
      </button>
    </li>
  )
}

interface OneLessonProps {
  lesson: Lesson
  status: Status | undefined
  lessons: Lesson[]
  kept: OwnLesson | undefined
  /** How an examiner asks for the order of work. */
  asksOrder: string
}

function OneLesson({ lesson, status, lessons, kept, asksOrder }: OneLessonProps) {
  const { t } = useTranslation()
  const device = useRecorder()
  const orders = useQuery(rulebookQuery()).data?.procedures.filter(({ own }) => !own) ?? []
  const { language } = useFigures()
  const [order, setOrder] = useState('')
  const navigate = useNavigate()
  const begin = useMutation({
    networkMode: 'always',
    mutationFn: async (drive: number) => {
      if (!('recorder' in device)) throw new Error(t('setup.storage', { why: device.refusal }))
      const choice = await lessonChoice(
        lesson,
        kept !== undefined,
        drive,
        status?.drives[drive] !== null,
        order,
      )
      const seed = crypto.getRandomValues(new Uint32Array(1))[0] ?? 0
      const practices = await device.recorder.practices()
      const title = `${lesson.number || ''} ${lesson.title}`.trim().slice(0, 70)
      return practices.begin({ title, choice: { ...choice, seed } })
    },
    onSuccess: (id) => void navigate(`/practice/${id}`),
  })
  const locked = status?.state === 'locked'
  const drives = status?.drives ?? lesson.drives.map(() => null)
  const first = drives.findIndex((passed) => !passed)
  return (
    <section data-open={lesson.id}>
      <h2 className="text-title">{lesson.title}</h2>
      <p className="mt-1 text-lead">{lesson.goal}</p>
      <p className="mt-1 text-note text-soft">
        {t(lesson.drives.length === 1 ? 'learn.oneDrive' : 'learn.about', {
          kind: t(`kind.${lesson.kind}`),
          gearbox: t(`practice.${lesson.gearbox}`),
          minutes: lesson.minutes,
          count: lesson.drives.length,
        })}
      </p>
      {lesson.mode === 'exam' && (
        <div className="mt-3 max-w-sm">
          <SelectField
            label={asksOrder}
            value={order}
            onChange={(event) => setOrder(event.target.value)}
            options={[
              { value: '', text: t('practice.usual') },
              ...orders.map(({ id, title }) => ({ value: id, text: title[language] ?? id })),
            ]}
          />
        </div>
      )}
      <div className="mt-3 flex flex-wrap gap-2">
        {drives.map((passed, n) => (
          <Button
            key={n}
            tone={n === first ? 'air' : undefined}
            disabled={locked || begin.isPending}
            data-drive={n}
            data-passed={passed}
            onClick={() => begin.mutate(n)}
          >
            {t(passed ? 'learn.again' : 'learn.begin', { n: n + 1 })}
            {passed && ' ■'}
            {passed === false && ' ◣'}
          </Button>
        ))}
      </div>
      <FormError error={begin.error} />
      <h3 className="mt-5 font-bold">{t('learn.cures')}</h3>
      <dl className="mt-1">
        {lesson.mistakes.map(({ code, title, advice }) => (
          <div key={code} className="border-t border-line py-1.5">
            <dt className="font-semibold first-letter:uppercase">{title}</dt>
            <dd className="text-soft">{advice}</dd>
          </div>
        ))}
      </dl>
      <HandleLesson {...{ lesson, kept, lessons }} />
    </section>
  )
}

/** What somebody may take along, and may have forgotten. */
function Yours({ personId }: { personId: string }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [sure, setSure] = useState(false)
  const forget = useMutation({
    mutationFn: () =>
      need(
        api.DELETE('/api/learning/people/{person_id}/record', { params: { path: { person_id: personId } } }),
      ),
    onSuccess: () => {
      setSure(false)
      void queries.invalidateQueries({ queryKey: ['progress'] })
    },
  })
  const link = 'inline-flex min-h-touch items-center font-semibold underline underline-offset-4'
  return (
    <section>
      <h2 className="font-bold">{t('learn.yours')}</h2>
      <div className="flex flex-wrap gap-x-5">
        <a className={link} href={`/api/learning/people/${personId}/record.json`} download>
          {t('learn.json')}
        </a>
        <a className={link} href={`/api/learning/people/${personId}/record.csv`} download>
          {t('learn.csv')}
        </a>
        <a className={link} href={`/api/learning/people/${personId}/marks.csv`} download>
          {t('learn.marksCsv')}
        </a>
        <Link className={link} to="/practice">
          {t('practice.here')}
        </Link>
      </div>
      {!sure && (
        <button type="button" className={`${link} text-clay`} onClick={() => setSure(true)}>
          {t('learn.forget')}
        </button>
      )}
      {sure && (
        <p className="grid justify-items-start gap-2">
          {t('learn.forgetSure')}
          <Button onClick={() => forget.mutate()} disabled={forget.isPending}>
            {t('learn.forget')}
          </Button>
        </p>
      )}
      {forget.data && <p role="status">{t('learn.forgotten', { count: forget.data.practices })}</p>}
      <FormError error={forget.error} />
    </section>
  )
}
