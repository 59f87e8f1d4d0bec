import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Stage } from '../../shared/trade'

interface Found {
  sha256: string
  file?: string
  found?: number
  stages?: number
  moved?: Stage[]
}

/** That nobody made a mark: what the run was found in, how much of it, and what a person moved. */
export function FromRecording({ recording }: { recording: Record<string, unknown> }) {
  const { t } = useTranslation()
  const { sha256, file, found, stages, moved } = recording as unknown as Found
  return (
    <div data-from-recording className="border-l-4 border-ink pl-3">
      <p>
        <b>{t('traces.from')}</b>
        {file && <>: {t('traces.fromFile', { file, found, stages })}</>}
      </p>
      {moved && moved.length > 0 && (
        <p>{t('traces.fromMoved', { stages: moved.map((stage) => t(`step.${stage}`)).join(', ') })}</p>
      )}
      <p className="text-note break-all text-soft">
        {t('traces.fromHash', { hash: sha256 })}{' '}
        <Link to={`/traces?recording=${sha256}`} className="no-print underline underline-offset-4">
          {t('traces.onDesk')}
        </Link>
      </p>
    </div>
  )
}
