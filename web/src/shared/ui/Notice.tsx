import { useTranslation } from '../i18n/useTranslation'
import { Button } from './Button'

/** What a screen shows while it waits, or when it could not be loaded. */
export function Notice({ error, onRetry }: { error?: Error | null; onRetry?: () => void }) {
  const { t } = useTranslation()
  if (!error) return <p className="py-10 text-soft">{t('app.loading')}</p>
  return (
    <div role="alert" className="py-10">
      <p className="text-lead font-semibold">{t('app.loadFailed')}</p>
      <p className="mt-1 mb-4 text-soft">{error.message}</p>
      {onRetry && <Button onClick={onRetry}>{t('app.again')}</Button>}
    </div>
  )
}
