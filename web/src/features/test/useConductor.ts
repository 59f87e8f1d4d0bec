import { useEffect, useRef, useState } from 'react'
import { flushSync } from 'react-dom'
import { useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { usePreferences } from '../../shared/preferences'
import { useFigures } from '../../shared/figures/useFigures'
import {
  type Body,
  now,
  secondsSince,
  type LiveRun,
  type ClockReading,
  type TestRecorder,
  leads,
} from '../../device'
import {
  isOwn,
  speak,
  stateOf,
  duplicatesOf,
  unlockSound,
  useFeed,
  type Mark,
  type Proposal,
  type Step,
  type MarkPrompt,
  type TestState,
} from '../../run'
import { useSession } from '../../shared/session'
import { barFor, nextName, watchersBar } from './bar'
import { legsOf } from './legs'
import { useBlocked } from './useBlocked'
import { bodiesOf, phaseOf, stageInSight, type Phase, movesNext } from './phase'
import { useHoldEnd, useSettledTone } from './useHoldEnd'
import { useMeantBar } from './useMeantBar'
import { useReadings } from './useReadings'
import { useTicking } from './useTimer'
import { useVerdicts } from './useVerdicts'

/** Two marks closer than this are one: a bounce of the thumb, or a key held down. */
const BOUNCE_S = 0.3
/** So long a rest waits for its verdict before it lets the driver go on without. */
const JUDGING_S = 4

/** Conducts a test: where it stands, what the bar asks for, and what each touch of it writes down. */
export function useConductor(recorder: TestRecorder, live: LiveRun) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const navigate = useNavigate()
  const { preferences } = usePreferences()
  const { run } = live
  const { script, setup } = run
  const state = stateOf(
    script,
    live.events.map(({ event }) => event),
  )
  const [passed, setPassed] = useState(0)
  const [stood, setStood] = useState(-1)
  const [speed, setSpeed] = useState('')
  const [chosen, setChosen] = useState<Mark[]>()
  const [unkept, setUnkept] = useState(false)
  const judged = useVerdicts(recorder, live)
  const alone = run.coach?.alone
  // whoever works alone is told nothing until the end
  const watches = !leads(run)
  const withheld = setup.examined && !watches
  const verdicts = alone || withheld ? { ...judged, now: [], latest: [], stale: false } : judged
  const lastAt = useRef(-Infinity)
  const newest = useRef<Promise<boolean>>(undefined)
  const writing = useRef(false)

  const blocked = useBlocked(recorder, run, movesNext(state))
  const { latest, stale } = withheld ? judged : verdicts
  const phase = phaseOf(state, { rest: passed }, latest, stale, blocked)
  const step = stepOfPhase(phase)
  const ownWatch = setup.timekeeper !== 'tool'
  const holdS = step?.limit?.hold_s ?? script.hold_s
  const group = chosen ?? (phase.name === 'read' ? phase.group : state.waiting[0])
  const lastEvent = state.events.at(-1)
  const judging =
    phase.name === 'rest' &&
    verdicts.now === undefined &&
    live.reached &&
    lastEvent !== undefined &&
    secondsSince(lastEvent) < JUDGING_S
  const rolling = phase.name === 'prompt' && phase.prompt.name === 'rolled' && stood !== rollsOf(state)

  const { me } = useSession()
  const by = watches && me.person ? { by: me.person.name } : {}
  const link = useFeed(setup.readings === 'feed' ? run.unitId : null)
  const feed = link?.feed
  /** Whether the marks were kept on this device; where not, that is said at once. */
  const mark = (bodies: Body[], at: ClockReading = now()): Promise<boolean> => {
    const seen = feed?.at(at) ?? {}
    const signed = bodies.map((body) => ({ ...by, ...(wantsNumbers(body) ? seen : {}), ...body }))
    const written = recorder.mark(run.id, signed, at).then(
      () => {
        setUnkept(false)
        return true
      },
      () => {
        setUnkept(true)
        return false
      },
    )
    newest.current = written
    return written
  }
  useHoldEnd(state.hold?.start, ownWatch || watches || !state.hold ? null : holdS, (at) => {
    const start = state.hold?.start
    if (!start || !state.hold) return
    // one end for one start, whichever tab of this device comes first
    const withdrawn = live.events.filter(({ event }) => event.id.startsWith(`${start.id}.end`)).length
    const id = `${start.id}.end${withdrawn || ''}`
    void mark([{ type: 'reading', stage: state.hold.stage, point: 'end', id }], at)
  })
  const waits = phase.name === 'prompt' && (phase.prompt.name === 'settled' || phase.prompt.name === 'start')
  useSettledTone(state.lastMove, script.advised_wait_s, waits && !watches)
  useTicking(1000)

  const readings = useReadings(script, state, group, (marked, numbers, late) => {
    setChosen(undefined)
    const valued = { type: 'valued', ...numbers, ...(late ? { late } : {}) }
    void mark(marked.map(({ id }) => ({ ...valued, event: id })))
  })
  const ledBar = barFor({
    script,
    state,
    phase,
    readings,
    verdicts: verdicts.now,
    alone,
    ownWatch,
    rolling,
    speed,
    judging,
  })
  const bar = watches ? watchersBar(ledBar, setup.timekeeper === 'watcher') : ledBar
  const meant = useMeantBar(bar, live.events.filter(({ event }) => !isOwn(event)).length)
  const duplicates = duplicatesOf(state.events).at(-1)

  const finish = (at?: ClockReading) => {
    const up: Body[] = state.pedalDown ? [{ type: 'pedal', state: 'released' }] : []
    void mark([...up, { type: 'finished' }], at).then(
      (kept) => kept && navigate(run.practice ? `/practice/${run.id}/after` : `/runs/${run.id}`),
    )
  }
  const goOn = (at?: ClockReading) => {
    const pass = () => setPassed(state.lead.done.length)
    if (!state.pedalDown || watches) return pass()
    // together with the mark: a bar that asked for the next thing sooner would not hear the touch
    void mark([{ type: 'pedal', state: 'released' }], at).then((kept) => kept && flushSync(pass))
  }
  /** A device that is slow to write gets one mark all the same, however often it is touched meanwhile. */
  const once = (act: () => void) => {
    if (writing.current) return
    const latest = newest.current
    act()
    if (newest.current === latest) return
    writing.current = true
    void newest.current?.finally(() => (writing.current = false))
  }
  const onMark = (at: ClockReading) => {
    void unlockSound()
    if (at.mono_s - lastAt.current < BOUNCE_S) return
    once(() => {
      lastAt.current = at.mono_s
      const { act } = meant(at)
      if (act === 'accept') readings?.accept()
      else if (act === 'goOn') goOn(at)
      else if (act === 'finish') finish(at)
      else if (act === 'standing') setStood(rollsOf(state))
      else if (act !== 'nothing') void mark(act.marks, at)
    })
  }

  const title = !step ? t('test.verdict') : alone ? `${state.lead.done.length + 1}` : t(`step.${step.step}`)
  const does = alone ? '' : bar.does ? t(`test.does.${bar.does}`) : (step?.does[language] ?? '')
  const before = phase.name === 'prompt' && !alone ? actionBefore(state)?.does[language] : undefined
  useSpeech(preferences.speech === 'on', [title, before, does].filter(Boolean).join('. '), language)
  const inSight = stageInSight(state, phase)
  const legs = legsOf(script, state, verdicts.latest, inSight)
  const next = nextName(state)
  const makeSafe = (why: string) => {
    const reason = why ? { why } : {}
    const up: Body[] = state.pedalDown ? [{ type: 'pedal', state: 'released' }] : []
    void mark([{ type: 'made_safe', ...reason }, ...up, { type: 'abandoned', why: why || 'made safe' }])
  }
  const takeLead = () =>
    void need(api.POST('/api/runs/{run_id}/lead', { params: { path: { run_id: run.id } } })).then((head) =>
      recorder.takePart(head),
    )
  /** What a proposal of the feed stands for, with the numbers that it saw. */
  const takeProposal = (marks: MarkPrompt['marks'], { at, numbers }: Pick<Proposal, 'at' | 'numbers'>) => {
    const seen = (body: Body) => ({ ...(wantsNumbers(body) ? numbers : {}), ...body })
    void mark(bodiesOf(marks).map(seen), at)
  }
  return {
    ...{
      state,
      phase,
      bar,
      step,
      title,
      does,
      before,
      legs,
      inSight,
      next,
      duplicates,
      verdicts,
      readings,
      feed: link,
    },
    ...{ watches, rolling, ownWatch, holdS, unkept, speed, setSpeed, chosen, choose: setChosen },
    ...{ onMark, makeSafe, takeLead, takeProposal },
    write: mark,
    mark: (bodies: Body[]) => void mark(bodies),
    stop: () => once(finish),
    goOn: () => once(goOn),
  }
}

function stepOfPhase(phase: Phase): Step | null {
  switch (phase.name) {
    case 'rest':
      return phase.stages.at(-1) ?? null
    case 'done':
      return null
    default:
      return phase.step
  }
}

/** A mark that is made to be read, and brings no numbers of its own. */
const wantsNumbers = ({ type, cause, lamp, buzzer }: Body): boolean =>
  type === 'reading' || (type === 'warning' && (lamp === true || buzzer === true)) || cause === 'popped'

const rollsOf = (state: TestState): number => state.events.filter(({ type }) => type === 'rolled').length

/** An action with nothing of its own to mark, done by doing the stage after it. */
function actionBefore(state: TestState): Step | undefined {
  const last = state.lead.done.at(-1)?.step
  return last?.by_the_way && state.lead.untouched ? last : undefined
}

/** Speaks what is to be done whenever that changes. */
function useSpeech(on: boolean, text: string, language: string): void {
  useEffect(() => {
    if (on && text) speak(text, language)
  }, [on, text, language])
}
