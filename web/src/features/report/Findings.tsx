import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { OutcomeMark } from '../../shared/ui'

type Verdict = Schema['VerdictOut']

/** How the candidate did, which is not how the vehicle did: clean, or each finding with its weight. */
export function Candidate({ verdict, purpose }: { verdict: Verdict; purpose: string }) {
  const { t } = useTranslation()
  const { coach, candidate } = verdict
  const critical = new Set(candidate.critical)
  const minor = new Set(candidate.minor)
  const weighed = coach.filter(({ code }) => critical.has(code) || minor.has(code))
  if (weighed.length === 0 && purpose === 'dispatch') return null
  return (
    <section>
      <h2 className="mb-1 flex flex-wrap items-baseline gap-x-4 text-lead">
        {t('report.candidate')}
        <span className={`text-body font-semibold ${critical.size > 0 ? 'text-clay' : 'text-soft'}`}>
          {weighed.length === 0
            ? t('report.candidateClean')
            : t('report.candidateBoth', { critical: critical.size, minor: minor.size })}
        </span>
      </h2>
      <ul className="grid gap-1.5">
        {weighed.map(({ code, text, stage }) => (
          <li
            key={`${code} ${stage} ${text}`}
            data-weighed={code}
            className={`border-l-4 pl-3 ${critical.has(code) ? 'border-clay' : 'border-line'}`}
          >
            {critical.has(code) && <b className="text-clay">{t('report.critical')}: </b>}
            {text}
            {stage && <span className="text-note text-soft"> {t(`step.${stage}`)}</span>}
          </li>
        ))}
      </ul>
    </section>
  )
}

/** Where the mechanic may look first; never a repair. */
export function Hints({ hints }: { hints: Verdict['hints'] }) {
  const { t } = useTranslation()
  if (hints.length === 0) return null
  return (
    <section>
      <h2 className="mb-1 text-lead">{t('report.hints')}</h2>
      <ul className="grid gap-1.5">
        {hints.map(({ code, text }) => (
          <li key={code} className="border-l-4 border-line pl-3">
            {text}
          </li>
        ))}
      </ul>
    </section>
  )
}

/** The same marks under every built-in rule set: a row for each stage, a column for each school. */
export function Schools({ schools, rules }: { schools: Schema['RuleSetVerdictOut'][]; rules: string }) {
  const { t, i18n } = useTranslation()
  const names = [...new Set(schools.flatMap(({ stages }) => stages.map(({ stage }) => stage)))]
  const title = (school: Schema['RuleSetVerdictOut']) => school.title[i18n.language] ?? school.rules
  return (
    <section>
      <h2 className="text-lead">{t('report.schools')}</h2>
      <p className="mb-1 text-note text-soft">{t('report.schoolsHint')}</p>
      <div className="overflow-x-auto" tabIndex={0} role="group" aria-label={t('report.schools')}>
        <table className="w-full border-collapse text-left">
          <thead className="text-note">
            <tr className="border-b-[1.5px] border-ink align-bottom">
              <td />
              {schools.map((school) => (
                <th
                  key={school.rules}
                  scope="col"
                  className={`py-1 pr-4 ${school.rules === rules ? 'font-bold' : 'font-semibold text-soft'}`}
                >
                  {title(school)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {names.map((name) => (
              <tr key={name} className="border-b border-hair">
                <th scope="row" className="py-1.5 pr-4 font-semibold">
                  {t(`step.${name}`)}
                </th>
                {schools.map(({ rules: id, stages }) => (
                  <td key={id} className="min-w-28 pr-4 align-top">
                    <SchoolCell stage={stages.findLast(({ stage, stands }) => stage === name && stands)} />
                  </td>
                ))}
              </tr>
            ))}
            <tr>
              <th scope="row" className="py-2 pr-4">
                {t('report.allOfIt')}
              </th>
              {schools.map(({ rules: id, overall }) => (
                <td key={id} data-school={id} className="pr-4">
                  <OutcomeMark outcome={overall} />
                </td>
              ))}
            </tr>
          </tbody>
        </table>
      </div>
    </section>
  )
}

function SchoolCell({ stage }: { stage: Schema['StageOut'] | undefined }) {
  if (!stage) return <OutcomeMark outcome="not_done" />
  return (
    <>
      <OutcomeMark outcome={stage.outcome} closeCall={stage.close_call} />
      {stage.limit && <span className="block text-note text-balance text-soft">{stage.limit.text}</span>}
    </>
  )
}
