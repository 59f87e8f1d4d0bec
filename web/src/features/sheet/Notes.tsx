import { useState, type FormEvent } from 'react'
import { useTranslation } from 'react-i18next'
import { useRecorder, type WireEvent } from '../../live'
import { useSession } from '../../session'
import { Button } from '../../ui'

interface NotesProps {
  runId: string
  events: Record<string, unknown>[]
}

/** What was noted during the run and since; a note is written down on this device like any mark. */
export function Notes({ runId, events }: NotesProps) {
  const { t } = useTranslation()
  const device = useRecorder()
  const { me } = useSession()
  const [text, setText] = useState('')
  const notes = (events as unknown as WireEvent[]).filter(({ type }) => type === 'note')
  const recorder = 'recorder' in device ? device.recorder : null
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (!recorder || !text.trim()) return
    void recorder
      .strike(runId, [{ type: 'note', text: text.trim(), ...(me.person && { by: me.person.name }) }])
      .then(() => setText(''))
  }
  return (
    <section className={notes.length === 0 ? 'no-print' : ''}>
      <h2 className="mb-1 text-lead">{t('sheet.notes')}</h2>
      <ul className="grid gap-1.5">
        {notes.map(({ id, text: said, by }) => (
          <li key={id} className="border-l-4 border-line pl-3">
            {String(said)}
            {by && <span className="text-note text-soft"> {by}</span>}
          </li>
        ))}
      </ul>
      {recorder && (
        <form onSubmit={submit} className="no-print mt-2 flex max-w-2xl gap-2">
          <input
            value={text}
            maxLength={500}
            aria-label={t('sheet.note')}
            placeholder={t('sheet.note')}
            onChange={(event) => setText(event.target.value)}
            className="min-h-touch min-w-0 grow border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
          />
          <Button type="submit" disabled={!text.trim()}>
            {t('sheet.noteAdd')}
          </Button>
        </form>
      )}
    </section>
  )
}
