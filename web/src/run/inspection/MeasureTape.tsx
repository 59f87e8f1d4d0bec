import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import {
  fromPsi,
  measured,
  plain,
  tapeStep,
  toPsi,
  toStep,
  type PressureUnit,
} from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { NumberTape } from '../../shared/ui'

type Measure = Schema['MeasureOut']

interface MeasureTapeProps {
  measure: Measure
  value: number | null
  onChange: (value: number) => void
  /** Another unit that it may be measured in. */
  other?: Measure
  onOther: () => void
  /** No room for where the limit is from. */
  brief?: boolean
}

/** A number of the inspection on its tape, with its limit under it. The limit decides nothing here: the server judges. */
export function MeasureTape({ measure, value, onChange, other, onOther, brief }: MeasureTapeProps) {
  const { t } = useTranslation()
  const { unit } = useFigures()
  const { tape } = measure
  if (!tape) return null
  const pressure = measure.unit === 'psi'
  const out = (number: number) => (pressure ? fromPsi(number, unit) : number)
  const step = pressure ? tapeStep[unit] : tape.step
  return (
    <div>
      <NumberTape
        name={measure.name}
        label={measure.label}
        value={value === null ? null : out(value)}
        ghost={pressure ? toStep(out(tape.start), unit) : tape.start}
        low={out(tape.from)}
        high={out(tape.to)}
        step={step}
        every={everyOf(measure.unit)}
        bay={
          measure.limit
            ? {
                low: tape.low === null ? null : out(tape.low),
                high: tape.high === null ? null : out(tape.high),
              }
            : undefined
        }
        text={(number) => (pressure ? plain(number, decimals(unit)) : measured(number, measure.unit))}
        onChange={(number) => onChange(pressure ? toPsi(number, unit) : number)}
      />
      <p className="mt-1 flex flex-wrap gap-x-3 text-note">
        <b>{measure.limit ? t('inspection.limit', { limit: measure.limit }) : t('inspection.noLimit')}</b>
        {measure.school && (
          <span className="text-soft">{t('inspection.school', { school: measure.school })}</span>
        )}
        {measure.source && !brief && <span className="text-soft">{measure.source}</span>}
        {other && (
          <button type="button" onClick={onOther} className="min-h-touch underline underline-offset-4">
            {t('inspection.otherUnit', { unit: other.label })}
          </button>
        )}
      </p>
    </div>
  )
}

const decimals = (unit: PressureUnit): number => ({ psi: 0, kpa: 0, bar: 2 })[unit]

/** A number stands on the tape at every whole one, where the steps are parts of it. */
const everyOf = (unit: Measure['unit']): number => ({ in: 8, share: 4, V: 10 })[unit as 'in'] ?? 5
