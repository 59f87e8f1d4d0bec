import { useTranslation } from '../../shared/i18n/useTranslation'
import { isStageName } from '../../shared/trade'
import { clockFace, inUnit, unitLabel, type PressureUnit } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { markName, standing } from '../../run'
import { type DeviceMark } from '../../device'

const READING = /^(primary|secondary)_(psi|kpa|bar)$/

/** Every mark that was ever made, the withdrawn ones crossed out but never gone. */
export function Marks({ events }: { events: Record<string, unknown>[] }) {
  const { t } = useTranslation()
  const all = events as (DeviceMark & { at_s: number })[]
  const kept = new Set(standing(all).map(({ id }) => id))
  const numbers = new Map(all.filter(({ type }) => type === 'valued').map((event) => [event.event, event]))
  const shown = all.filter(({ type }) => type !== 'valued' && type !== 'withdrawn')
  return (
    <section>
      <h2 className="mb-1 text-lead">{t('report.marks')}</h2>
      <table className="w-full max-w-2xl border-collapse">
        <tbody>
          {shown.map((event) => (
            <tr
              key={event.id}
              className={`border-b border-hair ${kept.has(event.id) ? '' : 'text-soft line-through'}`}
            >
              <td className="num w-16 py-1 text-right">{clockFace(Math.floor(event.at_s))}</td>
              <td className="px-4">
                {t(`test.mark.${markName(event)}`)}
                <span className="text-soft">
                  {isStageName(event.stage) ? `, ${t(`step.${event.stage}`)}` : ''}
                  {said(event)}
                  {event.sent_by ? `, ${t('report.sentBy', { by: String(event.sent_by) })}` : ''}
                  {event.after_end ? `, ${t('report.afterEnd')}` : ''}
                </span>
              </td>
              <td className="text-right whitespace-nowrap">
                <Numbers event={numbers.get(event.id) ?? event} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}

/** What was written beside a mark: a note, or why something was left out, taken back or ended. */
const said = ({ type, text, why }: DeviceMark): string => {
  const words = type === 'note' ? text : why
  return words ? `: ${String(words)}` : ''
}

/** The numbers as they were entered, with the unit they were entered in. */
function Numbers({ event }: { event: Record<string, unknown> }) {
  const { language } = useFigures()
  const found = Object.entries(event).filter(([key]) => READING.test(key)) as [string, number][]
  const unit = found[0]?.[0].split('_')[1] as PressureUnit | undefined
  if (!unit) return null
  return (
    <span lang={language}>
      <span className="num">{found.map(([, value]) => inUnit(value, unit)).join(' · ')}</span>{' '}
      <span className="text-note text-soft">{unitLabel[unit]}</span>
    </span>
  )
}
