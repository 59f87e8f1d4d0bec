import { useState, type ReactNode } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Body, Coach, LiveRun, TestRecorder } from '../../device'
import type { Step, TestState } from '../../run'
import { useFigures } from '../../shared/figures/useFigures'
import { Button } from '../../shared/ui'
import { unsaid } from './coach'
import type { Phase } from './phase'
import { useVehicleTicks } from './useVehicleTicks'

interface AloneProps {
  coach: Coach
  live: LiveRun
  state: TestState
  phase: Phase
  onMark: (bodies: Body[]) => void
}

export interface AroundProps extends AloneProps {
  recorder: TestRecorder
  children: ReactNode
}

/** A stage of the practice vehicle, with what a trainee says and asks; what is judged is told only when it was called. */
export function Coached({ recorder, children, ...props }: AroundProps) {
  const { coach, live, state, phase } = props
  useVehicleTicks(recorder, live.run, phase)
  const { language } = useFigures()
  const clocked = phase.name === 'hold' || phase.name === 'read'
  // an examiner keeps the time: no clock to look at, and the foot stays until it is called
  const called = coach.alone === 'exam' && (phase.name === 'hold' ? 'keep_time' : isTimeUp(phase) && 'time')
  const untold = coach.asksVerdict && unsaid(state, phase).length > 0
  return (
    <>
      <Alone {...props} />
      {called && <p className="text-title font-bold">“{coach.examiner[called]?.[language]}”</p>}
      {(coach.alone ? clocked && !called : !untold) && children}
    </>
  )
}

const isTimeUp = (phase: Phase): boolean => phase.name === 'read' && phase.group[0]?.point === 'end'

/** What a trainee says and asks where nobody leads: good or bad, over again, help, and the closing sentence. */
function Alone({ coach, live, state, phase, onMark }: AloneProps) {
  const { t } = useTranslation()
  const said = unsaid(state, phase)
  const { language } = useFigures()
  const unbegun = coach.alone === 'exam' && state.lead.done.length === 0 && phase.name === 'ask'
  return (
    <div className="grid max-w-3xl gap-4">
      {unbegun &&
        (['questions', 'begin'] as const).map((line) => (
          <p key={line} className="text-lead">
            “{coach.examiner[line]?.[language]}”
          </p>
        ))}
      {said.map((step) => (
        <SayVerdict key={step.step} {...{ step, onMark }} />
      ))}
      {coach.alone === 'exam' && phase.name === 'rest' && said.length === 0 && (
        <Redo {...{ coach, state, onMark }} stages={phase.stages} />
      )}
      {coach.alone === 'memory' && (phase.name === 'ask' || phase.name === 'prompt') && (
        <Help key={phase.step.step} step={phase.step} {...{ live, state, onMark }} />
      )}
      {coach.alone && phase.name === 'done' && <Closing {...{ coach, onMark }} />}
      {coach.alone && phase.name === 'rest' && said.length === 0 && (
        <p className="text-soft">{t('learn.onward')}</p>
      )}
    </div>
  )
}

/** A stage just done is called good or bad by whoever did it. */
export function SayVerdict({ step, onMark }: { step: Step; onMark: AloneProps['onMark'] }) {
  const { t } = useTranslation()
  const say = (value: 'pass' | 'fail') => onMark([{ type: 'said', what: `verdict:${step.step}`, value }])
  return (
    <fieldset data-say={step.step} className="grid gap-2">
      <legend className="text-lead font-semibold">
        {t('learn.whatOf', { stage: t(`step.${step.step}`) })}
      </legend>
      <div className="grid grid-cols-2 gap-2">
        <Button onClick={() => say('pass')} className="min-h-14 text-lead">
          {t('learn.good')}
        </Button>
        <Button onClick={() => say('fail')} className="min-h-14 text-lead">
          {t('learn.bad')}
        </Button>
      </div>
    </fieldset>
  )
}

interface RedoProps {
  coach: Coach
  state: TestState
  stages: Step[]
  onMark: AloneProps['onMark']
}

interface AskOverProps {
  why: string
  onWhy: (why: string) => void
  onAsk: () => void
  children?: ReactNode
}

/** What went wrong, and the asking to do it over. */
export function AskOver({ why, onWhy, onAsk, children }: AskOverProps) {
  const { t } = useTranslation()
  return (
    <div className="grid gap-2 border-l-4 border-ink pl-3">
      <label className="grid gap-1">
        <span className="text-note text-soft">{t('learn.wentWrong')}</span>
        <input
          value={why}
          maxLength={120}
          onChange={(event) => onWhy(event.target.value)}
          className="min-h-11 border-[1.5px] border-ink bg-sheet px-3"
        />
      </label>
      <Button onClick={onAsk} className="justify-self-start">
        {t('learn.askAgain')}
      </Button>
      {children}
    </div>
  )
}

/** Only what was noticed and asked for is done over: it was called bad, or what went wrong is named. */
function Redo({ coach, state, stages, onMark }: RedoProps) {
  const { language } = useFigures()
  const [why, setWhy] = useState('')
  const [refused, setRefused] = useState(false)
  const step = stages.at(-1)
  if (!step) return null
  const calledBad = state.events.some(
    ({ type, what, value }) => type === 'said' && what === `verdict:${step.step}` && value === 'fail',
  )
  const ask = () => {
    const named = calledBad || why.trim().length > 0
    setRefused(!named)
    const claim = { type: 'claim', what: 'redo', stage: step.step, named, granted: named, why: why.trim() }
    onMark(named ? [claim, { type: 'attempt', stage: step.step }] : [claim])
  }
  return (
    <AskOver why={why} onWhy={setWhy} onAsk={ask}>
      {refused && <p role="status">“{coach.examiner.no_redo?.[language]}”</p>}
    </AskOver>
  )
}

const RUNGS = ['next', 'need', 'sentence'] as const

/** A ladder of help: what comes next, what must be true, the sentence; each rung is noted. */
function Help({ step, live, state, onMark }: Pick<AloneProps, 'live' | 'state' | 'onMark'> & { step: Step }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const [taken, setTaken] = useState(0)
  const rung = RUNGS[taken]
  const needs = state.lead.unmet.map((need) => t(`test.bar.${need}`))
  const told = [
    t(`step.${step.step}`),
    needs.join(', ') || step.does[figures.language],
    step.limit?.said[figures.language]?.[figures.unit] ?? step.calls.action?.[figures.language] ?? '',
  ]
  return (
    <div className="grid gap-1">
      {told.slice(0, taken).map((text, n) => (
        <p key={n}>{text}</p>
      ))}
      {rung && (
        <Button
          onClick={() => {
            setTaken(taken + 1)
            onMark([{ type: 'claim', what: 'help', rung, stage: step.step, run: live.run.id }])
          }}
          className="justify-self-start"
        >
          {t(`learn.help.${rung}`)}
        </Button>
      )}
    </div>
  )
}

/** The sentence at the end: one of the two is said. */
function Closing({ coach, onMark }: Pick<AloneProps, 'coach' | 'onMark'>) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const [said, setSaid] = useState<'pass' | 'fail'>()
  return (
    <fieldset className="grid gap-2">
      <legend className="text-lead font-semibold">
        {coach.alone === 'exam' ? `“${coach.examiner.finished?.[language]}”` : t('learn.closing')}
      </legend>
      {(['pass', 'fail'] as const).map((value) => (
        <button
          key={value}
          type="button"
          aria-pressed={said === value}
          onClick={() => {
            setSaid(value)
            onMark([{ type: 'claim', what: 'closing', value }])
          }}
          className={`min-h-14 border-[1.5px] border-ink px-4 py-2 text-left ${said === value ? 'bg-ink text-on-ink' : 'bg-sheet'}`}
        >
          {coach.closing[value][language]}
        </button>
      ))}
    </fieldset>
  )
}
