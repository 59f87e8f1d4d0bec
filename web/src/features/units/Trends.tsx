import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { trendsQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { ReportDefect, type PartRef } from '../../run'
import { Button, Notice } from '../../shared/ui'
import { TrendChart } from './TrendChart'

type Trend = Schema['TrendOut']

const nameOf = ({ stage, knob }: Trend): string => `${stage} ${knob ?? ''}`

interface TrendsProps {
  unitId: string
  /** The unit, then what it pulls: what a drift may be reported of. */
  parts: PartRef[]
  rules: string
}

/** Every quantity that this unit's tests measure, from test to test: which drift, and when each would meet its limit. */
export function Trends({ unitId, parts, rules }: TrendsProps) {
  const { t } = useTranslation()
  const { unit, language } = useFigures()
  const { data, error, refetch } = useQuery(trendsQuery(unitId, language, unit))
  const [chosen, setChosen] = useState<string>()
  const [reporting, setReporting] = useState(false)
  if (!data) return <Notice error={error} onRetry={() => void refetch()} />
  const trend = data.find((one) => nameOf(one) === chosen) ?? data[0]
  if (!trend) return <p className="text-soft">{t('units.trends.none')}</p>
  return (
    <section aria-labelledby="trends" className="grid gap-x-8 gap-y-4 lg:grid-cols-[minmax(0,1fr)_19rem]">
      <div className="min-w-0">
        <h2 id="trends" className="text-lead">
          <Named trend={trend} />
          {trend.limit && <span className="font-normal text-soft">, {trend.limit}</span>}
        </h2>
        <p className={trend.state === 'drifts' ? 'font-semibold text-clay' : ''}>
          <Said trend={trend} />
        </p>
        {trend.state === 'drifts' && (
          <Button className="my-2" onClick={() => setReporting(true)}>
            {t('acts.reportDrift')}
          </Button>
        )}
        {reporting && (
          <ReportDefect
            {...{ parts, rules }}
            proposed={{
              finding: 'drift',
              group: '',
              what: `${t(`step.${trend.stage}`)}: ${trend.text}`,
              run: '',
            }}
            onClose={() => setReporting(false)}
          />
        )}
        <TrendChart trend={trend} />
        <p className="text-note text-soft">{t('units.trends.legend')}</p>
      </div>
      <ul aria-label={t('units.trends.quantities')} className="content-start border-t-[1.5px] border-ink">
        {data.map((one) => (
          <li key={nameOf(one)}>
            <button
              type="button"
              aria-pressed={one === trend}
              onClick={() => setChosen(nameOf(one))}
              className={`flex min-h-touch w-full items-center justify-between gap-3 border-b border-hair px-2 text-left ${one === trend ? 'bg-ink text-on-ink' : ''}`}
            >
              <span className="font-semibold">
                <Named trend={one} />
              </span>
              <State state={one.state} />
            </button>
          </li>
        ))}
      </ul>
    </section>
  )
}

function Named({ trend: { stage, knob } }: { trend: Trend }) {
  const { t } = useTranslation()
  return (
    <>
      {t(`step.${stage}`)}
      {knob && `, ${t(`units.trends.knobs.${knob}`)}`}
    </>
  )
}

/** A state in a word and a shape of its own: a rising, a level and a broken line, and none. */
function State({ state }: { state: Trend['state'] }) {
  const { t } = useTranslation()
  const path = { drifts: 'M1 10L17 2', changed: 'M1 9H9V3H17', steady: 'M1 6H17', too_few: '' }[state]
  return (
    <span className="flex shrink-0 items-center gap-2 text-note">
      {path && (
        <svg aria-hidden width="18" height="12" className="shrink-0">
          <path d={path} fill="none" stroke="currentColor" strokeWidth="2.5" />
        </svg>
      )}
      {t(`units.trends.states.${state}`)}
    </span>
  )
}

/** The server's sentence, and when the limit would be met. */
function Said({ trend }: { trend: Trend }) {
  const { t } = useTranslation()
  const { day } = useFigures()
  const { meets, meets_from, meets_until } = trend
  return (
    <>
      {trend.text}
      {meets && ` ${t('units.trends.meets', { day: day(meets) })}`}
      {meets &&
        meets_from &&
        meets_until &&
        ` ${t('units.trends.between', { from: day(meets_from), until: day(meets_until) })}`}
      {meets && meets_from && !meets_until && ` ${t('units.trends.after', { from: day(meets_from) })}`}
    </>
  )
}
