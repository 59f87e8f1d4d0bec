import { Link, Navigate, useParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { stateOf, useLiveRun, useRecorder } from '../../run'
import { type Recorder } from '../../device'
import { Conductor } from './Conductor'

export function TestPage() {
  const { runId = '' } = useParams()
  const { t } = useTranslation()
  const device = useRecorder()
  if ('refusal' in device) {
    return <p className="p-6 font-semibold text-clay">{t('setup.storage', { why: device.refusal })}</p>
  }
  return <Run key={runId} recorder={device.recorder} runId={runId} />
}

function Run({ recorder, runId }: { recorder: Recorder; runId: string }) {
  const { t } = useTranslation()
  const loaded = useLiveRun(recorder, runId)
  if (loaded === 'loading') return <p className="p-6 text-soft">{t('app.loading')}</p>
  if (loaded === 'gone') {
    return (
      <div className="p-6">
        <p className="text-lead">{t('test.gone')}</p>
        <Link to="/" className="font-semibold text-air underline">
          {t('app.toYard')}
        </Link>
      </div>
    )
  }
  const { live } = loaded
  const events = live.events.map(({ event }) => event)
  if (stateOf(live.run.script, events).closed) return <Navigate to={`/runs/${runId}`} replace />
  return <Conductor {...{ recorder, live }} />
}
