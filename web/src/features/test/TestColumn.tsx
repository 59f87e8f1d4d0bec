import { type Translate, useTranslation } from '../../shared/i18n/useTranslation'
import { useFigures } from '../../shared/figures/useFigures'
import { secondsSince } from '../../device'
import { type Mark, type Script, type Step, type TestState } from '../../run'
import { AirColumn, type Bay, type Pin } from '../../shared/ui'
import type { Verdict } from './phase'
import { lowestPsi } from './useReadings'

interface TestColumnProps {
  script: Script
  state: TestState
  /** The stage that the screen is about. */
  present: Step | undefined
  verdicts: Verdict[]
  /** The candidate works from memory: no limit may be read off. */
  hideLimits: boolean
  /** What a live feed shows now; null where needles are read by eye. */
  live: Record<string, number> | null
  /** As on a phone, whatever the screen. */
  narrow?: boolean
}

/** The air column of a test under way: filled by eye to the last needle, the rules' windows along it, every mark pinned. */
export function TestColumn({
  script,
  state,
  present,
  verdicts,
  hideLimits,
  live,
  narrow = false,
}: TestColumnProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const latest = state.marks.findLast((mark) => lowestPsi(mark) !== null)
  const fill = live ? Math.min(...Object.values(live)) : (lowestPsi(latest) ?? null)
  const bays = hideLimits ? [] : baysOf(script, state, present, figures, t)

  const pins: Pin[] = state.marks.flatMap((mark): Pin[] => {
    const psi = lowestPsi(mark)
    if (psi === null || !isPinned(mark, present) || state.marks.some((other) => isLater(other, mark)))
      return []
    const name = mark.point === 'popped' ? mark.which : mark.point === 'cut_out' ? 'full' : mark.point
    const out = verdicts.some(
      ({ stage, stands, outcome }) =>
        stage === mark.stage && stands && outcome === 'fail' && mark.point !== 'start',
    )
    return [
      {
        psi,
        text: `${figures.reading(psi)} ${t(`column.${name as 'start'}`)}`,
        now: mark.id === latest?.id,
        out,
      },
    ]
  })

  const age = latest ? Math.floor(secondsSince(latest)) : 0
  const old = age < 100 ? t('column.old', { age }) : t('column.oldMinutes', { age: Math.round(age / 60) })
  return (
    <>
      {(['wide', 'narrow'] as const).map((form) => (
        <div
          key={form}
          className={`h-full ${narrow ? (form === 'wide' ? 'hidden' : '') : form === 'wide' ? 'max-md:hidden' : 'md:hidden'}`}
        >
          <AirColumn
            unit={figures.unit}
            fill={fill}
            note={live ? [t('column.live')] : [old, t('column.byEye')]}
            solid={live !== null}
            bays={bays}
            pins={pins}
            narrow={form === 'narrow'}
            label={t('column.label', { value: fill === null ? t('column.empty') : figures.pressure(fill) })}
          />
        </div>
      ))}
    </>
  )
}

/** What was read in other stages would only crowd the column, but for where it stopped pumping, warned and popped. */
const isPinned = (mark: Mark, present: Step | undefined): boolean =>
  mark.stage === present?.step || ['cut_out', 'warning', 'popped'].includes(mark.point)

/** A later mark of the same kind takes the pin's place. */
const isLater = (other: Mark, mark: Mark): boolean =>
  other.id !== mark.id &&
  other.stage === mark.stage &&
  other.point === mark.point &&
  (mark.point !== 'popped' || other.which === mark.which) &&
  lowestPsi(other) !== null &&
  Date.parse(other.wall) > Date.parse(mark.wall)

/** The windows of every stage's limit on a pressure; the present one stands out. */
function baysOf(
  script: Script,
  state: TestState,
  present: Step | undefined,
  figures: ReturnType<typeof useFigures>,
  t: Translate,
): Bay[] {
  const seen = new Set<string>()
  return script.steps.flatMap((step): Bay[] => {
    const { limit } = step
    const now = step.step === present?.step
    if (!limit || seen.has(step.step)) return []
    seen.add(step.step)
    if (limit.most_psi !== null) return now ? leakBay(script, state, step, figures, t) : []
    if (!limit.bay) return []
    const text = limit.text[figures.language]?.[figures.unit] ?? ''
    return [
      {
        low: limit.bay.low_psi,
        high: limit.bay.high_psi,
        name: t(`step.${step.step}`),
        text,
        now,
      },
    ]
  })
}

/** Where the needle may end, once its start is known; until then where it must start. */
function leakBay(
  script: Script,
  state: TestState,
  { step, limit }: Step,
  figures: ReturnType<typeof useFigures>,
  t: Translate,
): Bay[] {
  const most = limit?.most_psi ?? null
  const start = lowestPsi(state.marks.findLast(({ stage, point }) => stage === step && point === 'start'))
  const toCome =
    state.lead.queue[0]?.step.step === step && state.lead.prompts.some(({ name }) => name === 'start')
  if (start === null || most === null || toCome) {
    const { charged_psi } = script
    const text = t('column.orMore', { value: figures.pressure(charged_psi) })
    return [{ low: charged_psi, high: null, name: t('column.mustStart'), text, now: true }]
  }
  const end = figures.reading(start - most)
  const text = limit?.end[figures.language]?.[figures.unit]?.replace('{end}', end) ?? ''
  return [{ low: start - most, high: start, name: t('column.mayEnd'), text, now: true }]
}
