import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { reportQuery, type Schema } from '../../shared/api'
import { fromPsi, plain, toPsi, unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, NumberTape, Notice, SelectField } from '../../shared/ui'
import { sumsQuery, workedQuery } from './queries'

type Sum = Schema['SumOut']

/** The sums of the trade: numbers slide on tapes, the figure moves. A stage of a report opens one with its own numbers. */
export function SumsPage() {
  const { t } = useTranslation()
  const figures = useFigures()
  const [params, setParams] = useSearchParams()
  const sums = useQuery(sumsQuery(figures.language, figures.unit))
  const run = params.get('run')
  const report = useQuery({
    ...reportQuery(run ?? '', figures.language, figures.unit, 'sums'),
    enabled: run !== null,
  })
  if (!sums.data || (run !== null && report.isPending)) {
    return <Notice error={sums.error} onRetry={() => void sums.refetch()} />
  }
  const stage = report.data?.verdict.stages.find(
    (one) => one.stage === params.get('stage') && String(one.attempt) === params.get('attempt'),
  )
  const fitting = stage ? sums.data.filter(({ stages }) => stages.includes(stage.stage)) : sums.data
  const offered = fitting.length > 0 ? fitting : sums.data
  const shown = offered.find(({ id }) => id === params.get('sum')) ?? offered[0]
  if (!shown) return null
  return (
    <div className="grid gap-x-10 gap-y-6 pt-3 lg:grid-cols-[16rem_1fr]">
      <div className="grid content-start gap-2">
        <h2 className="text-lead">{t('rules.sumsTitle')}</h2>
        <ul className="border-t-[1.5px] border-ink max-lg:flex max-lg:flex-wrap max-lg:gap-x-4">
          {sums.data.map((sum) => (
            <li key={sum.id} className="lg:border-b lg:border-hair">
              <button
                type="button"
                aria-pressed={sum.id === shown.id}
                onClick={() => setParams({ sum: sum.id }, { replace: true })}
                className="min-h-touch w-full text-left aria-pressed:font-bold max-lg:underline max-lg:underline-offset-4 lg:px-2 lg:aria-pressed:bg-ink lg:aria-pressed:text-on-ink"
              >
                {sum.title}
              </button>
            </li>
          ))}
        </ul>
      </div>
      <OneSum key={shown.id} sum={shown} measured={stage?.measured ?? {}} />
    </div>
  )
}

function OneSum({ sum, measured }: { sum: Sum; measured: Record<string, unknown> }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const [given, setGiven] = useState<Record<string, number>>(() => begin(sum, measured))
  const worked = useQuery(workedQuery(sum.id, given, figures.language, figures.unit))
  const [main, ...others] = worked.data?.results ?? []
  return (
    <section className="grid content-start gap-5">
      <div className="border-y-2 border-ink bg-sheet px-5 py-4" aria-live="polite" data-result>
        {worked.error ? (
          <p className="font-semibold text-clay">{worked.error.message}</p>
        ) : (
          <>
            <p className="text-note text-soft">{main?.title}</p>
            <p className="num text-[3.5rem] leading-none">{main?.text}</p>
            <p className="flex flex-wrap gap-x-6 pt-2">
              {others.map(({ name, title, text }) => (
                <span key={name}>
                  <span className="text-soft">{title}</span> <b className="num text-figure">{text}</b>
                </span>
              ))}
            </p>
          </>
        )}
      </div>
      <div className="grid gap-4 md:grid-cols-2">
        {sum.inputs.map((input) =>
          input.choices.length > 0 ? (
            <SelectField
              key={input.name}
              label={input.title}
              value={String(given[input.name])}
              options={input.choices.map(({ value, text }) => ({ value: String(value), text }))}
              onChange={({ target }) => setGiven((now) => ({ ...now, [input.name]: Number(target.value) }))}
            />
          ) : (
            <InputTape
              key={input.name}
              input={input}
              value={given[input.name] ?? input.start}
              onChange={(value) => setGiven((now) => ({ ...now, [input.name]: value }))}
            />
          ),
        )}
      </div>
      <dl className="grid gap-x-5 gap-y-1 sm:grid-cols-[9rem_1fr]">
        <dt className="text-note text-soft">{t('rules.formula')}</dt>
        <dd>{sum.formula}</dd>
        <dt className="text-note text-soft">{t('rules.sumSource')}</dt>
        <dd>{sum.source}</dd>
        <dt className="text-note text-soft">{t('rules.worked')}</dt>
        <dd className="flex flex-wrap items-center gap-4">
          {sum.example_text}
          <Button onClick={() => setGiven(sum.example)}>{t('rules.setExample')}</Button>
        </dd>
      </dl>
    </section>
  )
}

/** The numbers to begin with: those that a stage measured where there is one. */
function begin(sum: Sum, measured: Record<string, unknown>): Record<string, number> {
  return Object.fromEntries(
    sum.inputs.map(({ name, start, low, high }) => {
      const found = sum.takes[name] === undefined ? undefined : measured[sum.takes[name]]
      return [name, typeof found === 'number' ? Math.min(high, Math.max(low, found)) : start]
    }),
  )
}

/** A number on a tape, in the reader's unit; kept in the sum's own. */
function InputTape({
  input,
  value,
  onChange,
}: {
  input: Schema['SumInputOut']
  value: number
  onChange: (value: number) => void
}) {
  const { unit } = useFigures()
  const pressure = input.unit === 'psi' || input.unit === 'psi_lost'
  const shown = (psi: number) => (pressure ? fromPsi(psi, unit) : psi)
  const kept = (number: number) => (pressure ? Number(toPsi(number, unit).toFixed(4)) : number)
  const step = !pressure || unit === 'psi' ? input.step : unit === 'kpa' ? 5 * input.step : 0.05 * input.step
  return (
    <NumberTape
      name={input.title}
      value={Number(shown(value).toFixed(3))}
      ghost={shown(value)}
      low={Number(shown(input.low).toFixed(3))}
      high={Number(shown(input.high).toFixed(3))}
      step={step}
      label={pressure ? unitLabel[unit] : input.unit}
      text={(number) => plain(number, step < 0.1 ? 2 : 1)}
      onChange={(next) => onChange(kept(next))}
    />
  )
}
