/** The one place where the interface turns pressures into text, and text back into pressures. */

export const pressureUnits = ['psi', 'kpa', 'bar'] as const
export type PressureUnit = (typeof pressureUnits)[number]

const KPA_PER_PSI = 6.894757293168361
const psiPer: Record<PressureUnit, number> = { psi: 1, kpa: 1 / KPA_PER_PSI, bar: 100 / KPA_PER_PSI }
const readingDecimals: Record<PressureUnit, number> = { psi: 1, kpa: 0, bar: 2 }
const amountDecimals: Record<PressureUnit, number> = { psi: 1, kpa: 1, bar: 3 }

export const unitLabel: Record<PressureUnit, string> = { psi: 'psi', kpa: 'kPa', bar: 'bar' }

/** One step of a tape, in its unit: about what a needle can be read to. */
export const tapeStep: Record<PressureUnit, number> = { psi: 1, kpa: 5, bar: 0.05 }

export const fromPsi = (psi: number, unit: PressureUnit): number => psi / psiPer[unit]
export const toPsi = (value: number, unit: PressureUnit): number => value * psiPer[unit]

/** At most so many decimals, without trailing zeros, with a real minus sign. */
export function plain(value: number, decimals: number): string {
  const text = Number(Math.abs(value).toFixed(decimals)).toString()
  return value < 0 && Number(text) !== 0 ? `−${text}` : text
}

/** A gauge reading in the reader's unit, without the unit's sign. */
export const reading = (psi: number, unit: PressureUnit): string =>
  plain(fromPsi(psi, unit), readingDecimals[unit])

/** A loss, margin or error in the reader's unit, without the unit's sign. */
export const amount = (psi: number, unit: PressureUnit): string =>
  plain(fromPsi(psi, unit), amountDecimals[unit])

export const withUnit = (text: string, unit: PressureUnit): string => `${text} ${unitLabel[unit]}`

/** A figure that is already in `unit`, as the tape shows it. */
export const inUnit = (value: number, unit: PressureUnit): string => plain(value, readingDecimals[unit])

/** The nearest step of a tape, in its unit. */
export function toStep(value: number, unit: PressureUnit): number {
  const step = tapeStep[unit]
  return Number((Math.round(value / step) * step).toFixed(3))
}

/** Minutes and seconds of a countdown, rounded up so that zero means time is up. */
export function clockFace(seconds: number): string {
  const whole = Math.max(0, Math.ceil(seconds - 1e-6))
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}`
}

/** A number as it was measured: lengths in sixteenths of an inch as a tape shows them, shares as parts of a whole. */
export function measured(value: number, unit: string): string {
  if (unit !== 'in' && unit !== 'share') return plain(value, 1)
  const sixteenths = Math.round(value * 16)
  const whole = Math.floor(sixteenths / 16)
  let [top, bottom] = [sixteenths % 16, 16]
  if (top === 0) return String(whole)
  while (top % 2 === 0) [top, bottom] = [top / 2, bottom / 2]
  return whole ? `${whole} ${top}/${bottom}` : `${top}/${bottom}`
}
