import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, FormError, Notice, SelectField, TextField } from '../../shared/ui'
import { useLessons, type Lesson } from './core'
import { PersonDrawer } from './PersonDrawer'
import { ExamMark, StateShape } from './shapes'

type Class = Schema['ClassOut']
type Row = Schema['ProgressOut']

const classesQuery = {
  queryKey: ['classes'],
  queryFn: () => need(api.GET('/api/learning/classes')),
}

/** A trainer's classes: who can do what, at a glance; what is set; who got something wrong. */
export function ClassesPage() {
  const { t } = useTranslation()
  const classes = useQuery(classesQuery)
  const [chosen, setChosen] = useState<string>()
  if (!classes.data) return classes.error ? <FormError error={classes.error} /> : <Notice />
  const one = classes.data.find(({ id }) => id === chosen) ?? classes.data[0]
  return (
    <div className="py-3">
      <h1 className="text-title">{t('learn.classes.title')}</h1>
      {classes.data.length === 0 && <p className="mt-1 text-soft">{t('learn.classes.none')}</p>}
      <div className="mt-2 flex flex-wrap items-end gap-x-6 gap-y-2">
        {classes.data.length > 1 && (
          <SelectField
            label={t('learn.classes.title')}
            value={one?.id ?? ''}
            onChange={(event) => setChosen(event.target.value)}
            options={classes.data.map(({ id, name }) => ({ value: id, text: name }))}
          />
        )}
        <NewClass onMade={setChosen} />
      </div>
      {one && <OneClass key={one.id} of={one} />}
      <p className="mt-6 text-note text-soft">{t('learn.classes.advice')}</p>
    </div>
  )
}

function NewClass({ onMade }: { onMade: (id: string) => void }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [name, setName] = useState('')
  const make = useMutation({
    mutationFn: () => need(api.POST('/api/learning/classes', { body: { name: name.trim() } })),
    onSuccess: async ({ id }) => {
      setName('')
      await queries.invalidateQueries({ queryKey: ['classes'] })
      onMade(id)
    },
  })
  return (
    <form
      className="flex flex-wrap items-end gap-2"
      onSubmit={(event: FormEvent) => {
        event.preventDefault()
        make.mutate()
      }}
    >
      <TextField
        label={t('learn.classes.name')}
        value={name}
        maxLength={80}
        onChange={(event) => setName(event.target.value)}
      />
      <Button type="submit" disabled={name.trim() === '' || make.isPending}>
        {t('learn.classes.make')}
      </Button>
      <FormError error={make.error} />
    </form>
  )
}

function OneClass({ of }: { of: Class }) {
  const { t } = useTranslation()
  const [code, setCode] = useState('')
  const [person, setPerson] = useState<string>()
  const lessons = useLessons().data?.lessons
  const board = useQuery({
    queryKey: ['board', of.id, code],
    queryFn: () =>
      need(
        api.GET('/api/learning/classes/{class_id}/board', {
          params: { path: { class_id: of.id }, query: code ? { code } : {} },
        }),
      ),
  })
  const mistakes = new Map(lessons?.flatMap((lesson) => lesson.mistakes.map((one) => [one.code, one.title])))
  return (
    <div className="mt-5 grid gap-7">
      {board.data && lessons ? (
        <Board rows={board.data.rows} {...{ lessons, mistakes }} onPerson={setPerson} />
      ) : (
        <Notice error={board.error} />
      )}
      {person && lessons && (
        <PersonDrawer
          key={person}
          row={board.data?.rows.find(({ person_id }) => person_id === person)}
          lessons={lessons}
          onClose={() => setPerson(undefined)}
        />
      )}
      <div className="grid gap-8 lg:grid-cols-2">
        <Edit of={of} />
        <Assign of={of} lessons={lessons ?? []} />
        <section className="grid content-start gap-2">
          <SelectField
            label={t('learn.classes.wrong')}
            value={code}
            onChange={(event) => setCode(event.target.value)}
            options={[
              { value: '', text: t('learn.classes.anything') },
              ...[...mistakes].map(([value, text]) => ({ value, text })),
            ]}
          />
          {code && board.data && (
            <ul data-wrong>
              {board.data.wrong.length === 0 && <li className="text-soft">{t('learn.classes.nobody')}</li>}
              {board.data.wrong.map((one) => (
                <li key={one.practice_id}>
                  <Link
                    to={`/practice/${one.practice_id}/after`}
                    className="inline-flex min-h-touch items-center font-semibold underline underline-offset-4"
                  >
                    {one.person}
                  </Link>
                </li>
              ))}
            </ul>
          )}
        </section>
      </div>
    </div>
  )
}

interface BoardProps {
  rows: Row[]
  lessons: Lesson[]
  mistakes: Map<string, string>
  onPerson: (id: string) => void
}

/** Rows are people, columns lessons: what each can do, as shapes. */
function Board({ rows, lessons, mistakes, onPerson }: BoardProps) {
  const { t } = useTranslation()
  return (
    <div className="overflow-x-auto border-t border-line" tabIndex={0}>
      <table className="w-full text-left" data-board>
        <thead className="text-note text-soft">
          <tr>
            <th className="py-1 pr-4 font-normal">{t('learn.classes.trainee')}</th>
            {lessons.map(({ id, number, title }) => (
              <th key={id} title={title} className="num px-1 text-center font-normal">
                <abbr title={title} className="">
                  {number}
                </abbr>
              </th>
            ))}
            <th className="px-4 font-normal">{t('learn.classes.exams')}</th>
            <th className="font-normal">{t('learn.classes.last')}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const worst = row.lessons.findLast(({ worst: code }) => code)?.worst
            return (
              <tr key={row.person_id} className="border-t border-line">
                <th scope="row" className="py-0.5 pr-4 whitespace-nowrap">
                  <button
                    type="button"
                    onClick={() => onPerson(row.person_id)}
                    className="min-h-touch font-semibold underline underline-offset-4"
                  >
                    {row.person}
                  </button>
                </th>
                {lessons.map(({ id }) => {
                  const state = row.lessons.find((one) => one.id === id)?.state ?? 'locked'
                  return (
                    <td key={id} className="px-1">
                      <StateShape state={state} label={t(`learn.state.${state}`)} />
                    </td>
                  )
                })}
                <td className="px-4">
                  <span className="flex items-center gap-1">
                    {row.readiness.marks.map((mark, n) => (
                      <ExamMark key={n} mark={mark} label={t(`learn.ready.marks.${mark as 'clean'}`)} />
                    ))}
                    {row.overruled && (
                      <b className="ml-2">{t(`learn.ready.verdict.${row.overruled.kind as 'ready'}`)}</b>
                    )}
                  </span>
                </td>
                <td className="text-note">{worst ? (mistakes.get(worst) ?? worst) : ''}</td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </div>
  )
}

function Edit({ of }: { of: Class }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const people = useQuery({
    queryKey: ['people'],
    queryFn: () => need(api.GET('/api/people')),
  }).data
  const [members, setMembers] = useState(of.members)
  const [exam, setExam] = useState(of.exam_on ?? '')
  const save = useMutation({
    mutationFn: () =>
      need(
        api.PUT('/api/learning/classes/{class_id}', {
          params: { path: { class_id: of.id } },
          body: {
            version: of.version,
            name: of.name,
            exam_on: exam || null,
            members: members.map(({ id }) => id),
            licence: of.licence,
          },
        }),
      ),
    onSuccess: () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: ['classes'] }),
        queries.invalidateQueries({ queryKey: ['board'] }),
      ]),
  })
  const inside = new Set(members.map(({ id }) => id))
  return (
    <section className="grid content-start gap-2">
      <h2 className="font-bold">{of.name}</h2>
      <TextField
        label={t('learn.classes.exam')}
        type="date"
        value={exam}
        onChange={(event) => setExam(event.target.value)}
      />
      <ul className="max-h-72 overflow-y-auto">
        {members.map(({ id, name, agreed }) => (
          <li key={id} className="flex items-center justify-between gap-x-3 border-b border-line">
            <span>
              {name}
              {!agreed && <span className="block text-note text-soft">{t('learn.classes.asked')}</span>}
            </span>
            <button
              type="button"
              aria-label={t('learn.classes.remove', { name })}
              onClick={() => setMembers(members.filter((one) => one.id !== id))}
              className="min-h-touch min-w-touch text-lead"
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <SelectField
        label={t('learn.classes.members')}
        value=""
        onChange={(event) => {
          const found = people?.find(({ id }) => id === event.target.value)
          if (found) setMembers([...members, { id: found.id, name: found.name, agreed: false }])
        }}
        options={[
          { value: '', text: t('learn.classes.add') },
          ...(people ?? [])
            .filter(({ id, retired }) => !retired && !inside.has(id))
            .map(({ id, name }) => ({ value: id, text: name })),
        ]}
      />
      <Button onClick={() => save.mutate()} disabled={save.isPending} className="justify-self-start">
        {t('learn.classes.save')}
      </Button>
      {save.isSuccess && <p role="status">{t('learn.classes.saved')}</p>}
      <FormError error={save.error} />
    </section>
  )
}

function Assign({ of, lessons }: { of: Class; lessons: Lesson[] }) {
  const { t } = useTranslation()
  const { date } = useFigures()
  const queries = useQueryClient()
  const [lesson, setLesson] = useState('')
  const [until, setUntil] = useState('')
  const [whom, setWhom] = useState('')
  const changed = () => queries.invalidateQueries({ queryKey: ['classes'] })
  const set = useMutation({
    mutationFn: () =>
      need(
        api.POST('/api/learning/classes/{class_id}/assignments', {
          params: { path: { class_id: of.id } },
          body: {
            lesson: lesson || (lessons[0]?.id ?? ''),
            due_at: new Date(`${until}T23:59:00`).toISOString(),
            person_id: whom || null,
          },
        }),
      ),
    onSuccess: changed,
  })
  const back = useMutation({
    mutationFn: (id: string) =>
      need(
        api.DELETE('/api/learning/assignments/{assignment_id}', { params: { path: { assignment_id: id } } }),
      ),
    onSuccess: changed,
  })
  const titles = new Map(lessons.map(({ id, title }) => [id, title]))
  return (
    <form
      className="grid content-start gap-2"
      onSubmit={(event) => {
        event.preventDefault()
        set.mutate()
      }}
    >
      <h2 className="font-bold">{t('learn.classes.assign')}</h2>
      <SelectField
        label={t('learn.classes.lesson')}
        value={lesson}
        onChange={(event) => setLesson(event.target.value)}
        options={lessons.map(({ id, number, title }) => ({ value: id, text: `${number} ${title}` }))}
      />
      <SelectField
        label={t('learn.classes.whom')}
        value={whom}
        onChange={(event) => setWhom(event.target.value)}
        options={[
          { value: '', text: t('learn.classes.everybody') },
          ...of.members.map(({ id, name }) => ({ value: id, text: name })),
        ]}
      />
      <TextField
        label={t('learn.classes.until')}
        type="date"
        value={until}
        onChange={(event) => setUntil(event.target.value)}
      />
      <Button type="submit" disabled={!until || set.isPending} className="justify-self-start">
        {t('learn.classes.set')}
      </Button>
      <FormError error={set.error ?? back.error} />
      <ul data-assigned>
        {of.assigned.map((one) => (
          <li key={one.id} className="flex items-center justify-between border-t border-line">
            <span>
              {titles.get(one.lesson) ?? one.lesson}{' '}
              <span className="text-note text-soft">
                {date(one.due_at)}
                {one.person_id && ` · ${of.members.find(({ id }) => id === one.person_id)?.name ?? ''}`}
              </span>
            </span>
            <button
              type="button"
              onClick={() => back.mutate(one.id)}
              className="min-h-touch text-note underline underline-offset-4"
            >
              {t('learn.classes.takeBack')}
            </button>
          </li>
        ))}
      </ul>
    </form>
  )
}
