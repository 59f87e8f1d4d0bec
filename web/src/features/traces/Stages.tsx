import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { OutcomeMark, type AnyOutcome } from '../../shared/ui'
import type { Judged } from './core'

interface StagesProps {
  judged: Judged
  chosen: number
  onChoose: (place: number) => void
}

/** Every stage of the order: where it is, its numbers with what they leave open, and what was judged of it. */
export function Stages({ judged, chosen, onChoose }: StagesProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const overall = judged.verdict.overall as AnyOutcome
  const told = ({ value, low, high }: { value: number; low: number; high: number }, name: string) => {
    const show = name.endsWith('_psi') ? (psi: number) => figures.reading(psi) : figures.seconds
    const of = name.endsWith('_psi') ? unitLabel[figures.unit] : 's'
    return `${show(value)} ${of} (${show(low)}–${show(high)})`
  }
  return (
    <div className="overflow-x-auto" tabIndex={0}>
      <h2 className="flex items-center gap-3 text-lead font-bold">
        {t('traces.found')} <OutcomeMark outcome={overall} />
      </h2>
      <table className="mt-1 w-full text-left" data-found>
        <tbody>
          {judged.stages.map((one, place) => {
            const verdict = verdictOf(judged, place)
            return (
              <tr
                key={place}
                data-stage={one.stage}
                data-moved={one.moved}
                className={`border-t border-line align-baseline ${place === chosen ? 'bg-hair' : ''}`}
              >
                <th scope="row" className="py-1 pr-3">
                  <button
                    type="button"
                    disabled={one.from_s === null}
                    onClick={() => onChoose(place)}
                    className="min-h-touch text-left font-semibold underline underline-offset-4 disabled:no-underline"
                  >
                    {t(`step.${one.stage}`)}
                  </button>
                  {one.open && <p className="text-note text-clay">{t('traces.open')}</p>}
                  {one.moved && <span className="ml-2 text-note text-soft">{t('traces.moved')}</span>}
                </th>
                <td className="num py-2.5 pr-3">
                  {one.from_s === null
                    ? t('traces.unseen')
                    : Object.entries(one.measured)
                        .filter(([name]) => name !== 'hold_s')
                        .map(([name, figure]) => told(figure, name))
                        .join(' · ')}
                </td>
                <td className="py-2">
                  {verdict && (
                    <OutcomeMark outcome={verdict.outcome as AnyOutcome} closeCall={verdict.close_call} />
                  )}
                </td>
                <td className="py-2.5 text-note">
                  {verdict?.limit?.words}
                  {verdict?.findings
                    .filter(({ code }) => code === 'astride_limit')
                    .map(({ code, text }) => (
                      <b key={code} className="block">
                        {text}
                      </b>
                    ))}
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </div>
  )
}

/** The attempt that is judged at a place: the second cut-out of an order is its second attempt. */
function verdictOf(judged: Judged, place: number): Schema['StageOut'] | undefined {
  const stage = judged.stages[place]
  if (!stage || stage.from_s === null) return undefined
  const before = judged.stages
    .slice(0, place)
    .filter((one) => one.stage === stage.stage && one.from_s !== null)
  const attempts = judged.verdict.stages.filter((one) => one.stage === stage.stage)
  return attempts[before.length] ?? attempts.at(-1)
}
