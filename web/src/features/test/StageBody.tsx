import { lazy, Suspense } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { needWords } from '../../shared/i18n'
import { leads } from '../../device'
import { isStage, type Mark, type Step, type TestState } from '../../run'
import { Asking, deniedNeeds } from './Asking'
import { FillClock, HoldClock, WaitClock } from './Clocks'
import type { Phase } from './phase'
import type { StageBodyProps } from './stageProps'

/** The middle of the screen: what the present phase needs beside the bar. */
export function StageBody(props: StageBodyProps) {
  const { phase, live, state, holdS, ownWatch, onMark } = props
  const { t } = useTranslation()
  const { script } = live.run
  const watches = !leads(live.run)
  switch (phase.name) {
    case 'ask':
      return (
        <>
          <Asking {...{ script, state, watches }} step={phase.step} next={phase.need} onAnswer={onMark} />
          <VoidAhead {...{ live, state }} step={phase.step} asking />
        </>
      )
    case 'prompt':
      return <MarkBody {...props} phase={phase} />
    case 'hold':
      return <HoldClock start={phase.start} {...{ holdS, ownWatch }} />
    case 'read':
      return phase.group[0]?.point === 'end' ? (
        <p className="text-title font-bold">
          {t(endedEarly(state, phase.group[0], holdS - script.hold_short_s) ? 'test.ended' : 'test.timeUp')}
        </p>
      ) : null
    case 'rest':
    case 'locked':
    case 'done':
      return (
        <Suspense>
          <StageEnd {...props} />
        </Suspense>
      )
  }
}

const StageEnd = lazy(() => import('./StageEnd').then((m) => ({ default: m.StageEnd })))
const InspectionDuringFill = lazy(async () => {
  const [m] = await Promise.all([import('./InspectionDuringFill'), needWords('inspection', 'acts')])
  return { default: m.InspectionDuringFill }
})

/** Prompts that a clock leads to: it has the room. */
const WITH_CLOCK = new Set(['cut_out', 'settled', 'start'])

function MarkBody({
  phase,
  compact,
  livePsi,
  live,
  state,
  bar,
  onMark,
}: StageBodyProps & { phase: Phase & { name: 'prompt' } }) {
  const { t } = useTranslation()
  const { script } = live.run
  const { step, prompt } = phase
  const presents = live.run.coach?.presents
  const hideLimits = live.run.setup.calls === 'rehearsal' || presents?.limits === false
  if (bar.act === 'standing') return <p className="my-auto text-title">{t('test.under.standing')}</p>
  return (
    <>
      {(prompt.name === 'settled' || prompt.name === 'start') && presents?.wait_clock !== false && (
        <WaitClock since={state.lastMove} advisedS={script.advised_wait_s} />
      )}
      {prompt.name === 'cut_out' && (
        <FillClock
          {...{ script, state, compact, livePsi }}
          onConfirm={onMark}
          beside={
            leads(live.run) && !live.run.practice
              ? (sinceS, toBlastS) => (
                  <Suspense>
                    <InspectionDuringFill
                      {...{ live }}
                      filling={{ sinceS, toBlastS, refill: hasFilled(state) }}
                    />
                  </Suspense>
                )
              : undefined
          }
        />
      )}
      {!hideLimits && !compact && prompt.reads && !WITH_CLOCK.has(prompt.name) && <LimitFigure step={step} />}
      <VoidAhead {...{ live, state, step }} />
    </>
  )
}

/** Whether the air was up once already in this run. */
const hasFilled = (state: TestState): boolean => state.marks.some(({ point }) => point === 'cut_out')

/** The limit as a figure, to be seen from the corner of an eye. */
function LimitFigure({ step }: { step: Step }) {
  const figures = useFigures()
  const text = step.limit?.short[figures.unit]
  if (!text) return null
  return (
    <p aria-hidden className="my-auto flex items-baseline gap-4 text-soft">
      <span className="num text-[4rem] leading-none whitespace-nowrap text-ink md:text-[7rem]">{text}</span>
      {step.limit?.unit === 'psi' && unitLabel[figures.unit]}
    </p>
  )
}

/** What goes on against a condition will count as done wrongly; while it is still being asked, nobody has gone on. */
function VoidAhead({
  live,
  state,
  step,
  asking = false,
}: Pick<StageBodyProps, 'live' | 'state'> & { step: Step; asking?: boolean }) {
  const { t } = useTranslation()
  const denied = isStage(step) ? deniedNeeds(state, live.run.script, step) : []
  const before = asking && state.lead.untouched ? [] : denied
  if (before.length === 0) return null
  return (
    <p role="alert" className="max-w-2xl border-l-4 border-clay pl-3 font-semibold text-clay">
      {t('test.voidAhead')} ({before.map((need) => t(`test.not.${need}`)).join(', ')})
    </p>
  )
}

/** Whether a hold was ended before its time. */
function endedEarly(state: TestState, end: Mark, leastS: number): boolean {
  const start = state.marks.findLast(({ point, stage }) => point === 'start' && stage === end.stage)
  if (!start) return false
  const seconds =
    start.epoch === end.epoch
      ? end.mono_s - start.mono_s
      : (Date.parse(end.wall) - Date.parse(start.wall)) / 1000
  return seconds < leastS
}
