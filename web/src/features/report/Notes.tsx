import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { useRecorder } from '../../run'
import { type DeviceMark } from '../../device'
import { LineForm } from '../../shared/ui'

interface NotesProps {
  runId: string
  events: Record<string, unknown>[]
}

/** What was noted during the run and since; a note is written down on this device like any mark. */
export function Notes({ runId, events }: NotesProps) {
  const { t } = useTranslation()
  const device = useRecorder()
  const [failed, setFailed] = useState(false)
  const notes = (events as unknown as DeviceMark[]).filter(({ type }) => type === 'note')
  const recorder = 'recorder' in device ? device.recorder : null
  const keep = async (text: string) => {
    setFailed(false)
    await recorder?.mark(runId, [{ type: 'note', text }]).catch((error: unknown) => {
      setFailed(true)
      throw error
    })
  }
  return (
    <section className={notes.length === 0 ? 'no-print' : ''}>
      <h2 className="mb-1 text-lead">{t('report.notes')}</h2>
      <ul className="grid gap-1.5">
        {notes.map(({ id, text: said, by }) => (
          <li key={id} className="border-l-4 border-line pl-3">
            {String(said)}
            {by && <span className="text-note text-soft"> {by}</span>}
          </li>
        ))}
      </ul>
      {recorder && (
        <LineForm
          label={t('report.note')}
          button={t('report.noteAdd')}
          onSave={keep}
          className="no-print mt-2 max-w-2xl"
        />
      )}
      {failed && (
        <p role="alert" className="mt-2 border-l-4 border-amber pl-3 font-semibold">
          {t('app.notKept')}
        </p>
      )}
    </section>
  )
}
