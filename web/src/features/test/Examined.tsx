import { useState, type ReactNode } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { leads, type Body, type LiveRun } from '../../device'
import type { Step, TestState } from '../../run'
import type { Stage } from '../../shared/trade'
import { Button } from '../../shared/ui'
import { AskOver, SayVerdict } from './Alone'
import { repeat } from './bar'
import { unsaid } from './coach'
import type { Phase } from './phase'
import { SecondPerson } from './SecondPerson'

interface ExaminedProps {
  live: LiveRun
  state: TestState
  phase: Phase
  onMark: (bodies: Body[]) => void
  onStop: () => void
  children: ReactNode
}

/** An examination on a real vehicle: the candidate is told nothing of how it was judged, the examiner everything. */
export function Examined(props: ExaminedProps) {
  return leads(props.live.run) ? <Candidate {...props} /> : <Examiner {...props} />
}

function Candidate({ live, state, phase, onMark, onStop, children }: ExaminedProps) {
  const { t } = useTranslation()
  const said = unsaid(state, phase)
  const unbegun = state.lead.done.length === 0 && phase.name === 'ask'
  if (phase.name === 'locked') {
    return (
      <>
        <p role="alert" className="max-w-2xl bg-clay px-4 py-3 text-lead font-bold text-on-clay">
          {t('learn.exam.locked')}
        </p>
        <Button className="self-start" onClick={onStop}>
          {t('test.stopHere')}
        </Button>
      </>
    )
  }
  return (
    <div className="grid max-w-3xl gap-4" data-candidate>
      {unbegun && (
        <section className="grid gap-2">
          <p className="text-lead">{t('learn.exam.begin')}</p>
          {!live.run.begin && <SecondPerson runId={live.run.id} />}
        </section>
      )}
      {said.map((step) => (
        <SayVerdict key={step.step} {...{ step, onMark }} />
      ))}
      {phase.name === 'rest' && said.length === 0 && (
        <>
          {phase.stages.slice(-1).map((step) => (
            <AskAgain key={`${step.step} ${state.events.length}`} {...{ step, state, onMark }} />
          ))}
          <p className="text-soft">{t('learn.onward')}</p>
        </>
      )}
      {phase.name === 'done' && <Closing {...{ state, onMark }} />}
      {phase.name !== 'rest' && phase.name !== 'done' && children}
    </div>
  )
}

interface AskProps {
  step: Step
  state: TestState
  onMark: ExaminedProps['onMark']
}

/** A part is done over where it was asked for and the examiner grants it. */
function AskAgain({ step, state, onMark }: AskProps) {
  const { t } = useTranslation()
  const [why, setWhy] = useState('')
  const stands = askedAgain(state, step.step)
  if (stands === 'granted') {
    return (
      <Button
        tone="air"
        className="min-h-14 justify-self-start px-6 text-lead"
        onClick={() => onMark(repeat(state, step.step))}
      >
        {t('learn.exam.over')}
      </Button>
    )
  }
  if (stands === 'asked') return <p role="status">{t('learn.exam.asked')}</p>
  const calledBad = state.events.some(
    ({ type, what, value }) => type === 'said' && what === `verdict:${step.step}` && value === 'fail',
  )
  const ask = () => {
    const named = calledBad || why.trim() !== ''
    onMark([
      ...(why.trim() ? [{ type: 'note', text: why.trim() }] : []),
      { type: 'said', what: `redo:${step.step}`, value: named ? 'named' : 'unnamed' },
    ])
  }
  return <AskOver why={why} onWhy={setWhy} onAsk={ask} />
}

/** Whether doing a stage over was asked for since it was last begun, and whether that was granted. */
function askedAgain(state: TestState, stage: string): 'asked' | 'granted' | null {
  const isBegun = (event: (typeof state.events)[number]) => event.type === 'attempt' && event.stage === stage
  const begun = state.events.filter(isBegun).length
  // two devices have two clocks: which came first is only sure of what one of them wrote
  if (state.events.filter(({ what }) => what === `grant:${stage}`).length > begun) return 'granted'
  const since = state.events.slice(state.events.findLastIndex(isBegun) + 1)
  return since.some(({ what }) => what === `redo:${stage}`) ? 'asked' : null
}

/** The candidate says how it ends. */
function Closing({ state, onMark }: Pick<AskProps, 'state' | 'onMark'>) {
  const { t } = useTranslation()
  const said = state.events.findLast(({ type, what }) => type === 'said' && what === 'closing')?.value
  return (
    <fieldset className="grid gap-2">
      <legend className="text-lead font-semibold">{t('learn.closing')}</legend>
      <div className="grid grid-cols-2 gap-2">
        {(['pass', 'fail'] as const).map((value) => (
          <button
            key={value}
            type="button"
            aria-pressed={said === value}
            onClick={() => onMark([{ type: 'said', what: 'closing', value }])}
            className={`min-h-14 border-[1.5px] border-ink px-4 py-2 ${said === value ? 'bg-ink text-on-ink' : 'bg-sheet'}`}
          >
            {t(`learn.exam.closing.${value}`)}
          </button>
        ))}
      </div>
    </fieldset>
  )
}

/** What the examiner sees beside the test as it is judged: what is asked for, and what to say. */
function Examiner({ state, phase, onMark, children }: ExaminedProps) {
  const { t } = useTranslation()
  const asked = [...new Set(state.events.map(({ what }) => String(what ?? '')))]
    .filter((what) => what.startsWith('redo:'))
    .map((what) => what.slice('redo:'.length) as Stage)
    .filter((stage) => askedAgain(state, stage) === 'asked')
  const closing = state.events.findLast(({ type, what }) => type === 'said' && what === 'closing')?.value
  return (
    <>
      {asked.map((stage) => {
        const redo = state.events.findLast(({ what }) => what === `redo:${stage}`)
        return (
          <section key={stage} data-asks={stage} className="grid gap-2 border-[1.5px] border-ink p-3">
            <p className="text-lead font-semibold">{t('learn.exam.asks', { stage: t(`step.${stage}`) })}</p>
            <p className="text-soft">
              {t(redo?.value === 'named' ? 'learn.exam.named' : 'learn.exam.unnamed')}
            </p>
            <Button
              className="justify-self-start"
              onClick={() => onMark([{ type: 'said', what: `grant:${stage}` }])}
            >
              {t('learn.exam.grant')}
            </Button>
          </section>
        )
      })}
      {children}
      {closing !== undefined && (
        <p className="border-l-4 border-ink pl-3">
          {t('learn.exam.said')}: <b>{t(`learn.exam.closing.${closing as 'pass'}`)}</b>
        </p>
      )}
      {phase.name === 'done' && <p className="text-soft">{t('learn.exam.tellLater')}</p>}
    </>
  )
}
