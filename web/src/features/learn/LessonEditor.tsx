import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { askCore } from '../../device'
import { api, need } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, Choice, FormError, Modal, SelectField, TextField } from '../../shared/ui'
import type { Lesson, LessonTable, OwnLesson } from './core'

interface EditorProps {
  /** What it begins from: a lesson of the fleet's own, or the table of the one that is copied. */
  from: LessonTable
  kept?: OwnLesson
  lessons: Lesson[]
  onClose: () => void
}

const COPY_ID_CHARS = 8

/** A copy of a lesson is one of the fleet's own: it has an id of its own and stands after the one it came from. */
export const copyOf = (table: LessonTable): LessonTable => ({
  ...table,
  lesson: {
    ...table.lesson,
    id: `own-${crypto.randomUUID().slice(0, COPY_ID_CHARS)}`,
    after: table.lesson.id,
  },
})

/** A lesson of the fleet's own: its words, its vehicle, and what is wrong with it in each drive. */
export function LessonEditor({ from, kept, lessons, onClose }: EditorProps) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [table, setTable] = useState(from)
  const save = useMutation({
    mutationFn: () =>
      need(api.PUT('/api/learning/lessons', { body: { table, version: kept?.version ?? 0 } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['own-lessons'] })
      void queries.invalidateQueries({ queryKey: ['progress'] })
      onClose()
    },
  })
  const head = (more: Partial<LessonTable['lesson']>) =>
    setTable({ ...table, lesson: { ...table.lesson, ...more } })
  const setDrive = (n: number, drive: LessonTable['drives'][number] | null) =>
    setTable({
      ...table,
      drives: table.drives.flatMap((one, place) => (place === n ? (drive ? [drive] : []) : [one])),
    })
  return (
    <Modal title={t('learn.own.head')} open onClose={onClose}>
      <form
        data-lesson-editor
        className="grid gap-3"
        onSubmit={(event: FormEvent) => {
          event.preventDefault()
          save.mutate()
        }}
      >
        {(['title', 'goal'] as const).map((part) =>
          (['en', 'es'] as const).map((language) => (
            <TextField
              key={part + language}
              label={t(`learn.own.${part}.${language}`)}
              value={table[part][language]}
              maxLength={200}
              required
              onChange={(event) =>
                setTable({ ...table, [part]: { ...table[part], [language]: event.target.value } })
              }
            />
          )),
        )}
        <SelectField
          label={t('learn.own.after')}
          value={table.lesson.after ?? ''}
          onChange={(event) => head({ after: event.target.value || undefined })}
          options={[
            { value: '', text: t('learn.own.open') },
            ...lessons
              .filter(({ id }) => id !== table.lesson.id)
              .map(({ id, title }) => ({ value: id, text: title })),
          ]}
        />
        <Choice
          label={t('practice.gearbox')}
          value={table.vehicle.gearbox ?? 'manual'}
          onChange={(gearbox) => setTable({ ...table, vehicle: { ...table.vehicle, gearbox } })}
          options={(['manual', 'automatic'] as const).map((value) => ({
            value,
            text: t(`practice.${value}`),
          }))}
        />
        {table.drives.map((drive, n) => (
          <DriveFields
            key={n}
            n={n}
            kind={drive.kind ?? table.vehicle.kind}
            drive={drive}
            onChange={(next) => setDrive(n, next)}
            onDrop={table.drives.length > 1 ? () => setDrive(n, null) : undefined}
          />
        ))}
        <Button
          className="justify-self-start"
          onClick={() => setTable({ ...table, drives: [...table.drives, {}] })}
        >
          {t('learn.own.addDrive')}
        </Button>
        <p className="text-note text-soft">{t('learn.own.rest')}</p>
        <FormError error={save.error} />
        <div className="flex gap-2">
          <Button type="submit" tone="air" disabled={save.isPending}>
            {t('learn.own.keep')}
          </Button>
          <Button onClick={onClose}>{t('app.cancel')}</Button>
        </div>
      </form>
    </Modal>
  )
}

interface DriveProps {
  n: number
  kind: string
  drive: LessonTable['drives'][number]
  onChange: (drive: LessonTable['drives'][number]) => void
  onDrop: (() => void) | undefined
}

interface Choices {
  faults: { id: string; title: string }[]
  pools: { id: string; title: string }[]
}

/** What is wrong with the vehicle of one drive: faults by name, or drawn from a pool. */
function DriveFields({ n, kind, drive, onChange, onDrop }: DriveProps) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const choices = useQuery({
    queryKey: ['practice-choices', kind, language],
    networkMode: 'always',
    staleTime: Infinity,
    queryFn: () => askCore('practice_choices', [JSON.stringify(kind), language]) as Promise<Choices>,
  }).data
  const faults = drive.faults ?? []
  const titleOf = (one: string) => {
    const [id, severity] = one.split(':')
    const title = choices?.faults.find((fault) => fault.id === id)?.title ?? one
    return severity ? `${title}, ${t(`practice.severity.${severity as 'mild'}`)}` : title
  }
  const without = (one: string) => onChange({ ...drive, faults: faults.filter((other) => other !== one) })
  return (
    <fieldset className="grid gap-2 border-t border-line pt-2" data-own-drive={n}>
      <legend className="font-bold">{t('learn.drive', { n: n + 1 })}</legend>
      <SelectField
        label={t('practice.pool')}
        value={drive.pool ?? ''}
        onChange={(event) => {
          const pool = event.target.value
          onChange(pool ? { ...drive, pool, faults: [] } : { ...drive, pool: undefined })
        }}
        options={[
          { value: '', text: t('learn.own.named') },
          ...(choices?.pools ?? []).map(({ id, title }) => ({ value: id, text: title })),
        ]}
      />
      {!drive.pool && (
        <>
          <ul>
            {faults.map((one) => (
              <li key={one} className="flex items-center justify-between border-b border-line">
                {titleOf(one)}
                <button
                  type="button"
                  aria-label={t('learn.classes.remove', { name: titleOf(one) })}
                  onClick={() => without(one)}
                  className="min-h-touch min-w-touch text-lead"
                >
                  ×
                </button>
              </li>
            ))}
          </ul>
          <SelectField
            label={t('practice.faulty')}
            value=""
            onChange={(event) => onChange({ ...drive, faults: [...faults, event.target.value] })}
            options={[
              { value: '', text: t(faults.length ? 'learn.own.another' : 'learn.own.healthy') },
              ...(choices?.faults ?? [])
                .filter(({ id }) => !faults.some((one) => one.split(':')[0] === id))
                .flatMap(({ id }) => [`${id}:mild`, `${id}:severe`])
                .map((value) => ({ value, text: titleOf(value) })),
            ]}
          />
        </>
      )}
      {onDrop && (
        <button
          type="button"
          onClick={onDrop}
          className="min-h-touch justify-self-start text-note underline underline-offset-4"
        >
          {t('learn.own.dropDrive')}
        </button>
      )}
    </fieldset>
  )
}
