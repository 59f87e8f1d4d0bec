import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Step } from '../../run'
import { OutcomeMark } from '../../shared/ui'
import { lastAttempt } from './lastAttempt'
import type { Verdict } from './phase'

interface RestProps {
  stages: Step[]
  verdicts: Verdict[] | undefined
  /** The run counts for the vehicle: what fails holds it. */
  counts: boolean
}

/** The stages just done, each with its outcome, its arithmetic and what was found. */
export function Rest({ stages, verdicts, counts }: RestProps) {
  const { t } = useTranslation()
  // what failed comes first: nothing else matters as much
  const judged = stages
    .map((step) => ({ step, verdict: lastAttempt(verdicts, step) }))
    .sort((a, b) => Number(b.verdict?.outcome === 'fail') - Number(a.verdict?.outcome === 'fail'))
  return (
    <section aria-live="assertive" className="grid max-w-3xl gap-5">
      {judged.some(({ verdict }) => verdict?.outcome === 'fail') && (
        <p className="bg-clay px-4 py-3 text-lead font-bold text-on-clay">
          {t('test.failNow')} {counts && t('test.failHolds')}
        </p>
      )}
      {judged.map(({ step, verdict }) => (
        <div key={step.step} data-judged={step.step} className="grid gap-2">
          <div className="flex flex-wrap items-center gap-x-4">
            {stages.length > 1 && <b className="text-lead">{t(`step.${step.step}`)}</b>}
            <OutcomeMark outcome={verdict?.outcome ?? 'pending'} closeCall={verdict?.close_call} large />
          </div>
          {verdict?.arithmetic && (
            <p className="num text-figure leading-snug md:text-title">{verdict.arithmetic}</p>
          )}
          {verdict?.limit && (
            <p className="text-soft">
              {verdict.limit.words} <span className="text-note">{verdict.limit.source}</span>
            </p>
          )}
          {verdict && verdict.findings.length > 0 && (
            <ul className="grid gap-1.5">
              {verdict.findings.map((finding) => (
                <li key={finding.code} data-finding={finding.code} className="border-l-4 border-amber pl-3">
                  {finding.text}
                </li>
              ))}
            </ul>
          )}
        </div>
      ))}
    </section>
  )
}
