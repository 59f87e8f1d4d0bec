import { useQuery } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { aboutQuery } from '../../shared/api'
import { Notice } from '../../shared/ui'

/** A package inside the application; the build writes the list (web/notices.ts). */
interface Ships {
  name: string
  version: string
  license: string
  text: string
}

async function fetchNotices(signal: AbortSignal): Promise<Ships[]> {
  const answer = await fetch('/notices.json', { signal })
  if (!answer.ok) throw new Error(answer.statusText)
  return (await answer.json()) as Ships[]
}

/** What this is, which version, and what of others ships with it. */
export function AboutPage() {
  const { t } = useTranslation()
  const { data: about } = useQuery(aboutQuery())
  const ships = useQuery({
    queryKey: ['notices'],
    queryFn: ({ signal }) => fetchNotices(signal),
    staleTime: Infinity,
    retry: false,
  })
  return (
    <div className="grid max-w-3xl gap-5 py-6">
      <h1 className="text-title">{t('app.about')}</h1>
      <p>{t('people.about.text')}</p>
      {about && <p className="num">{t('people.about.version', { version: about.version })}</p>}
      <h2 className="text-lead font-semibold">{t('people.about.notices')}</h2>
      {ships.data ? (
        <ul>
          {ships.data.map(({ name, version, license, text }) => (
            <li key={name} className="border-t border-line">
              <details>
                <summary className="flex min-h-touch cursor-pointer flex-wrap items-baseline gap-x-3 py-3">
                  <b>{name}</b>
                  <span className="num">{version}</span>
                  <span className="text-soft sm:ml-auto">{license}</span>
                </summary>
                <p className="pb-4 text-note break-words whitespace-pre-wrap text-soft">{text}</p>
              </details>
            </li>
          ))}
        </ul>
      ) : (
        <Notice error={ships.error} onRetry={() => void ships.refetch()} />
      )}
    </div>
  )
}
