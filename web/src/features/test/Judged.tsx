import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { sheetQuery, type Schema } from '../../api'
import { useFigures } from '../../figures/useFigures'
import type { LiveRun, Progress } from '../../live'
import { OutcomeMark } from '../../ui'

/** The stage's verdict as the core gave it, once every mark has reached the server. */
export function useVerdict(live: LiveRun, progress: Progress): Schema['StageOut'] | undefined {
  const { unit, language } = useFigures()
  const delivered = !live.run.begin && live.events.every(({ delivery }) => delivery !== 'waiting')
  const wanted = progress.phase === 'judged' && delivered && !live.run.refused
  const sheet = useQuery({
    ...sheetQuery(live.run.id, language, unit, live.events.length),
    enabled: wanted,
  })
  return wanted
    ? sheet.data?.verdict.stages.find(({ stage, stands }) => stage === 'leak_applied' && stands)
    : undefined
}

export function Judged({ verdict }: { verdict: Schema['StageOut'] | undefined }) {
  const { t } = useTranslation()
  if (!verdict) {
    return (
      <p className="text-title font-bold">
        <OutcomeMark outcome="pending" large />
      </p>
    )
  }
  return (
    <section aria-live="assertive" className="grid max-w-3xl gap-3">
      {verdict.outcome === 'fail' && (
        <p className="bg-clay px-4 py-3 text-lead font-bold text-on-clay">{t('test.failNow')}</p>
      )}
      <OutcomeMark outcome={verdict.outcome} closeCall={verdict.close_call} large />
      {verdict.arithmetic && (
        <p className="num text-figure leading-snug md:text-title">{verdict.arithmetic}</p>
      )}
      {verdict.limit && (
        <p className="text-soft">
          {verdict.limit.words} <span className="text-note">{verdict.limit.source}</span>
        </p>
      )}
      {verdict.outcome === 'void' && (
        <p className="border-l-4 border-ink pl-3 font-semibold">{t('test.voidNow')}</p>
      )}
      {verdict.findings.length > 0 && (
        <ul className="grid gap-1.5">
          {verdict.findings.map((finding) => (
            <li key={finding.code} data-finding={finding.code} className="border-l-4 border-amber pl-3">
              {finding.text}
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}
