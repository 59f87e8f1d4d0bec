import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { useMay } from '../../shared/session'
import { Button, FormError, TextField } from '../../shared/ui'
import { bodyOf, recordingsQuery, type Asked, type Judged, type Recording } from './core'

interface SettleProps {
  recording: Recording
  asked: Asked
  judged: Judged
}

/** What a session is: a run of a unit, counted or not, or no test. */
export function Settle({ recording, asked, judged }: SettleProps) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const session = judged.sessions[asked.session - 1]
  const path = { recording_id: recording.id, place: asked.session }
  const settled = async () => {
    await queries.invalidateQueries({ queryKey: ['recording', recording.id] })
    await queries.invalidateQueries({ queryKey: recordingsQuery.queryKey })
  }
  const say = useMutation({
    mutationFn: (noTest: boolean) =>
      need(
        noTest
          ? api.PUT('/api/traces/{recording_id}/sessions/{place}/no-test', { params: { path } })
          : api.DELETE('/api/traces/{recording_id}/sessions/{place}/no-test', { params: { path } }),
      ),
    onSettled: settled,
  })
  if (!session) return null
  return (
    <section data-settle={session.state} className="grid gap-3 border-t-[1.5px] border-ink pt-3">
      <h2 className="text-lead font-bold">{t('traces.settle')}</h2>
      {session.run_id ? (
        <p>
          {t('traces.isRun')}{' '}
          <Link to={`/runs/${session.run_id}`} className="font-semibold underline underline-offset-4">
            {t('traces.toReport')}
          </Link>
        </p>
      ) : (
        <>
          {session.state === 'open' && (
            <Attach recording={recording} asked={asked} began_at={session.began_at} onDone={settled} />
          )}
          <div className="flex flex-wrap items-center gap-3">
            {session.state === 'no_test' && <span>{t('traces.isNoTest')}</span>}
            <Button onClick={() => say.mutate(session.state === 'open')} disabled={say.isPending}>
              {t(session.state === 'open' ? 'traces.noTest' : 'traces.testAfterAll')}
            </Button>
          </div>
          <FormError error={say.error} />
        </>
      )}
    </section>
  )
}

interface AttachProps {
  recording: Recording
  asked: Asked
  began_at: string | null
  onDone: () => Promise<void>
}

/** Make it a run: of which unit it was said above; who drove, when, and, by a manager, whether it counts. */
function Attach({ recording, asked, began_at, onDone }: AttachProps) {
  const { t } = useTranslation()
  const mayCount = useMay('countRecording')
  const [driver, setDriver] = useState('')
  const [counts, setCounts] = useState(false)
  const [when, setWhen] = useState(localOf(began_at))
  const attach = useMutation({
    mutationFn: () =>
      need(
        api.POST(`/api/traces/{recording_id}/${counts ? 'count' : 'attach'}`, {
          params: { path: { recording_id: recording.id } },
          body: { judged: bodyOf(asked), driver, began_at: new Date(when).toISOString() },
        }),
      ),
    onSuccess: onDone,
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    attach.mutate()
  }
  if (!asked.unit_id) return <p className="max-w-prose">{t('traces.whichUnit')}</p>
  return (
    <form onSubmit={submit} className="grid gap-3">
      <div className="flex flex-wrap items-end gap-4">
        <TextField
          label={t('traces.began')}
          type="datetime-local"
          required
          step={1}
          value={when}
          onChange={(event) => setWhen(event.target.value)}
        />
        <TextField
          label={t('traces.driver')}
          value={driver}
          maxLength={80}
          onChange={(event) => setDriver(event.target.value)}
        />
        <Button tone="air" type="submit" disabled={attach.isPending || !when}>
          {t('traces.attach')}
        </Button>
      </div>
      {mayCount ? (
        <label className="inline-flex min-h-touch items-center gap-3">
          <input
            type="checkbox"
            checked={counts}
            onChange={(event) => setCounts(event.target.checked)}
            className="size-6 accent-ink"
          />
          {t('traces.counts')}
        </label>
      ) : (
        <p className="text-note text-soft">{t('traces.countsNot')}</p>
      )}
      <FormError error={attach.error} />
    </form>
  )
}

/** A moment as the browser's own field wants it: local, without a zone. */
function localOf(moment: string | null): string {
  if (!moment) return ''
  const at = new Date(moment)
  const local = new Date(at.getTime() - at.getTimezoneOffset() * 60_000)
  return local.toISOString().slice(0, 19)
}
