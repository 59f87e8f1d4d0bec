import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, FormError, SelectField, TextField } from '../../shared/ui'
import type { Lesson } from './core'
import { Readiness } from './Readiness'
import { StateShape } from './shapes'

interface DrawerProps {
  row: Schema['ProgressOut'] | undefined
  lessons: Lesson[]
  onClose: () => void
}

const KINDS = ['note', 'opened', 'passed', 'ready', 'not_ready'] as const

/** One trainee: lessons, readiness, hours, notes, and a decision over the rule. */
export function PersonDrawer({ row, lessons, onClose }: DrawerProps) {
  const { t } = useTranslation()
  const { when } = useFigures()
  if (!row) return null
  return (
    <section
      data-person={row.person_id}
      className="grid gap-6 border-2 border-ink bg-sheet p-4 lg:grid-cols-2"
    >
      <div className="flex items-start justify-between gap-4 lg:col-span-2">
        <div>
          <h2 className="text-title">{t('learn.classes.progress', { name: row.person })}</h2>
          <p className="text-note text-soft">{t('learn.classes.hours', { hours: row.hours })}</p>
        </div>
        <button
          type="button"
          onClick={onClose}
          aria-label={t('app.close')}
          className="min-h-touch min-w-touch text-title"
        >
          ×
        </button>
      </div>
      <ol>
        {row.lessons.map((status, n) => (
          <li key={status.id} className="flex min-h-9 items-center gap-3 border-b border-line">
            <StateShape state={status.state} label={t(`learn.state.${status.state}`)} />
            <span className="grow">
              {n + 1} {lessons.find(({ id }) => id === status.id)?.title ?? status.id}
            </span>
            <span className="text-note text-soft">{status.last_at && when(status.last_at)}</span>
          </li>
        ))}
      </ol>
      <div className="grid content-start gap-6">
        <Readiness progress={row} />
        <Write personId={row.person_id} lessons={lessons} />
        <ul>
          {row.notes.map((one) => (
            <li key={one.id} className="border-t border-line py-1">
              <span className="text-note text-soft">
                {when(one.at)} · {one.by} · {t(`learn.classes.kind.${one.kind as 'note'}`)}
                {one.about && ` · ${lessons.find(({ id }) => id === one.about)?.title ?? one.about}`}
                {one.private && ` · ${t('learn.classes.private')}`}
              </span>
              <span className="block">{one.text}</span>
            </li>
          ))}
        </ul>
      </div>
    </section>
  )
}

function Write({ personId, lessons }: { personId: string; lessons: Lesson[] }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [kind, setKind] = useState<(typeof KINDS)[number]>('note')
  const [about, setAbout] = useState('')
  const [text, setText] = useState('')
  const [mine, setMine] = useState(false)
  const ofLesson = kind === 'opened' || kind === 'passed'
  const keep = useMutation({
    mutationFn: () =>
      need(
        api.POST('/api/learning/people/{person_id}/notes', {
          params: { path: { person_id: personId } },
          body: {
            kind,
            text,
            about: ofLesson ? about || (lessons[0]?.id ?? '') : '',
            private: mine && kind === 'note',
          },
        }),
      ),
    onSuccess: () => {
      setText('')
      return queries.invalidateQueries({ queryKey: ['board'] })
    },
  })
  return (
    <form
      className="grid gap-2"
      onSubmit={(event) => {
        event.preventDefault()
        keep.mutate()
      }}
    >
      <h3 className="font-bold">{t('learn.classes.notes')}</h3>
      <div className="grid gap-2 sm:grid-cols-2">
        <SelectField
          label={t('learn.classes.note')}
          value={kind}
          onChange={(event) => setKind(event.target.value as 'note')}
          options={KINDS.map((value) => ({ value, text: t(`learn.classes.kind.${value}`) }))}
        />
        {ofLesson && (
          <SelectField
            label={t('learn.classes.lesson')}
            value={about}
            onChange={(event) => setAbout(event.target.value)}
            options={lessons.map(({ id, number, title }) => ({ value: id, text: `${number} ${title}` }))}
          />
        )}
      </div>
      <TextField
        label={t('learn.classes.why')}
        value={text}
        maxLength={2000}
        onChange={(event) => setText(event.target.value)}
      />
      {kind === 'note' && (
        <label className="flex min-h-touch items-center gap-2 text-note">
          <input
            type="checkbox"
            checked={mine}
            onChange={(event) => setMine(event.target.checked)}
            className="size-5 accent-ink"
          />
          {t('learn.classes.private')}
        </label>
      )}
      <p className="text-note text-soft">{t('learn.classes.stays')}</p>
      <Button type="submit" disabled={keep.isPending} className="justify-self-start">
        {t('learn.classes.keep')}
      </Button>
      <FormError error={keep.error} />
    </form>
  )
}
