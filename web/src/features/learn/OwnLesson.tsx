import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { useMay } from '../../shared/session'
import { Button, FormError } from '../../shared/ui'
import type { Lesson, OwnLesson } from './core'
import { copyOf, LessonEditor } from './LessonEditor'

interface HandleProps {
  lesson: Lesson
  kept: OwnLesson | undefined
  lessons: Lesson[]
}

/** What may be done with a lesson: taken as a file, copied, and, where it is the fleet's own, changed or taken out. */
export function HandleLesson({ lesson, kept, lessons }: HandleProps) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const teaches = useMay('saveOwnLesson')
  const [open, setOpen] = useState<'copy' | 'change'>()
  const renew = () => {
    void queries.invalidateQueries({ queryKey: ['own-lessons'] })
    void queries.invalidateQueries({ queryKey: ['progress'] })
  }
  const retire = useMutation({
    mutationFn: () =>
      need(api.DELETE('/api/learning/lessons/{lesson_id}', { params: { path: { lesson_id: lesson.id } } })),
    onSuccess: renew,
  })
  if (!teaches) return null
  return (
    <div className="mt-4 flex flex-wrap items-center gap-x-4 border-t border-line pt-3">
      <Button onClick={() => setOpen('copy')}>{t('learn.own.copy')}</Button>
      {kept && <Button onClick={() => setOpen('change')}>{t('learn.own.change')}</Button>}
      <a
        href={`/api/learning/lessons/${lesson.id}/file`}
        download
        className="inline-flex min-h-touch items-center font-semibold underline underline-offset-4"
      >
        {t('learn.own.file')}
      </a>
      {kept && (
        <button
          type="button"
          onClick={() => retire.mutate()}
          className="min-h-touch font-semibold text-clay underline underline-offset-4"
        >
          {t('learn.own.retire')}
        </button>
      )}
      <FormError error={retire.error} />
      {open && (
        <LessonEditor
          from={open === 'copy' ? copyOf(lesson.table) : lesson.table}
          {...(open === 'change' && kept && { kept })}
          lessons={lessons}
          onClose={() => setOpen(undefined)}
        />
      )}
    </div>
  )
}

/** A lesson from a file: checked whole before it is kept. */
export function BringLesson() {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const teaches = useMay('saveOwnLesson')
  const bring = useMutation({
    mutationFn: async (file: File) => {
      const text = await file.text()
      const known = queries.getQueryData<OwnLesson[]>(['own-lessons']) ?? []
      const version = known.find(({ id }) => text.includes(`"${id}"`))?.version ?? 0
      return need(api.PUT('/api/learning/lessons', { body: { text, version } }))
    },
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ['own-lessons'] })
      void queries.invalidateQueries({ queryKey: ['progress'] })
    },
  })
  if (!teaches) return null
  return (
    <section className="grid justify-items-start gap-2">
      <h2 className="font-bold">{t('learn.own.yours')}</h2>
      <label className="inline-flex min-h-touch cursor-pointer items-center border-[1.5px] border-ink px-4 font-semibold focus-within:outline-2">
        {t('learn.own.bring')}
        <input
          type="file"
          accept=".toml"
          className="sr-only"
          onChange={(event) => {
            const file = event.target.files?.[0]
            if (file) bring.mutate(file)
            event.target.value = ''
          }}
        />
      </label>
      {bring.data && <p role="status">{t('learn.own.kept')}</p>}
      <FormError error={bring.error} />
    </section>
  )
}
