import { useEffect, useRef, useState } from 'react'
import { flushSync } from 'react-dom'
import { useTranslation } from 'react-i18next'
import { useNavigate } from 'react-router'
import { api, need } from '../../shared/api'
import { usePreferences } from '../../shared/preferences'
import { useFigures } from '../../shared/figures/useFigures'
import { type Body, now, secondsSince, type LiveRun, type Moment, type Recorder, leads } from '../../device'
import {
  isOwn,
  speak,
  stateOf,
  twinsOf,
  unlockSound,
  useFeed,
  type Mark,
  type Step,
  type TestState,
} from '../../run'
import { useSession } from '../../shared/session'
import { Button } from '../../shared/ui'
import { Strike } from './Strike'
import { barFor, nextName, watchersBar } from './bar'
import { Calls } from './Calls'
import { Course } from './Course'
import { CourseDialog } from './CourseDialog'
import { FeedSigns } from './FeedSigns'
import { legsOf, placeOf } from './legs'
import { MarkedTwice } from './MarkedTwice'
import { MarksDialog } from './MarksDialog'
import { bodiesOf, phaseOf, stageInSight, type Phase, type Verdict } from './phase'
import { lastAttempt } from './Rest'
import { SideStrikes } from './SideStrikes'
import { StageBody } from './StageBody'
import { TakeBack } from './TakeBack'
import { Tapes } from './Tapes'
import { TestColumn } from './TestColumn'
import { TestHeader } from './TestHeader'
import { useHoldEnd, useSettledTone } from './useHoldEnd'
import { useMeantBar } from './useMeantBar'
import { lowestPsi, useReadings } from './useReadings'
import { useTicking, useWakeLock } from './useTimer'
import { useVerdicts } from './useVerdicts'

/** Two strikes closer than this are one: a bounce of the thumb, or a key held down. */
const BOUNCE_S = 0.3
/** So long a rest waits for its verdict before it lets the driver go on without. */
const JUDGING_S = 4

/** The test screen: what to do now, the strike, the clock and the tapes, and the air column beside them. */
export function Conductor({ recorder, live }: { recorder: Recorder; live: LiveRun }) {
  const { t } = useTranslation()
  const { language, reading } = useFigures()
  const navigate = useNavigate()
  const { preferences } = usePreferences()
  const { run } = live
  const { script, setup } = run
  const state = stateOf(
    script,
    live.events.map(({ event }) => event),
  )
  const [covered, setCovered] = useState(false)
  const [course, setCourse] = useState(false)
  const [marks, setMarks] = useState(false)
  const [passed, setPassed] = useState(0)
  const [stood, setStood] = useState(-1)
  const [speed, setSpeed] = useState('')
  const [chosen, setChosen] = useState<Mark[]>()
  const [unkept, setUnkept] = useState(false)
  const verdicts = useVerdicts(live)
  const awake = useWakeLock()
  const lastAt = useRef(-Infinity)
  const newest = useRef<Promise<boolean>>(undefined)
  const writing = useRef(false)

  const phase = phaseOf(state, { rest: passed }, verdicts.latest, verdicts.stale)
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
  const rolling = phase.name === 'strike' && phase.strike.name === 'rolled' && stood !== rollsOf(state)

  const watches = !leads(run)
  const { me } = useSession()
  const by = watches && me.person ? { by: me.person.name } : {}
  const link = useFeed(setup.readings === 'feed' ? run.unitId : null)
  const feed = link?.feed
  /** Whether the marks were kept on this device; where not, that is said at once. */
  const strike = (bodies: Body[], at: Moment = now()): Promise<boolean> => {
    const seen = feed?.at(at) ?? {}
    const signed = bodies.map((body) => ({ ...by, ...(wantsNumbers(body) ? seen : {}), ...body }))
    const written = recorder.strike(run.id, signed, at).then(
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
    void strike([{ type: 'reading', stage: state.hold.stage, point: 'end', id }], at)
  })
  const waits = phase.name === 'strike' && (phase.strike.name === 'settled' || phase.strike.name === 'start')
  useSettledTone(state.lastMove, script.advised_wait_s, waits && !watches)
  useTicking(1000)

  const readings = useReadings(script, state, group, (marked, numbers, late) => {
    setChosen(undefined)
    const valued = { type: 'valued', ...numbers, ...(late ? { late } : {}) }
    void strike(marked.map(({ id }) => ({ ...valued, event: id })))
  })
  const ledBar = barFor({
    script,
    state,
    phase,
    readings,
    verdicts: verdicts.now,
    ownWatch,
    rolling,
    speed,
    judging,
  })
  const bar = watches ? watchersBar(ledBar, setup.timekeeper === 'watcher') : ledBar
  const meant = useMeantBar(bar, live.events.filter(({ event }) => !isOwn(event)).length)
  const twins = twinsOf(state.events).at(-1)

  const finish = (at?: Moment) => {
    const up: Body[] = state.pedalDown ? [{ type: 'pedal', state: 'released' }] : []
    void strike([...up, { type: 'finished' }], at).then((kept) => kept && navigate(`/runs/${run.id}`))
  }
  const goOn = (at?: Moment) => {
    const pass = () => setPassed(state.lead.done.length)
    if (!state.pedalDown || watches) return pass()
    // together with the mark: a bar that asked for the next thing sooner would not hear the touch
    void strike([{ type: 'pedal', state: 'released' }], at).then((kept) => kept && flushSync(pass))
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
  const onStrike = (at: Moment) => {
    void unlockSound()
    if (at.mono_s - lastAt.current < BOUNCE_S) return
    once(() => {
      lastAt.current = at.mono_s
      const { act } = meant(at)
      if (act === 'accept') readings?.accept()
      else if (act === 'goOn') goOn(at)
      else if (act === 'finish') finish(at)
      else if (act === 'standing') setStood(rollsOf(state))
      else if (act !== 'nothing') void strike(act.strike, at)
    })
  }

  const title = !step ? t('test.verdict') : t(`step.${step.step}`)
  const does = bar.does ? t(`test.does.${bar.does}`) : (step?.does[language] ?? '')
  const before = phase.name === 'strike' ? actionBefore(state)?.does[language] : undefined
  useSpeech(preferences.speech === 'on', [title, before, does].filter(Boolean).join('. '), language)
  const inSight = stageInSight(state, phase)
  const legs = legsOf(script, state, verdicts.latest, inSight)
  const hideLimits = setup.calls === 'rehearsal'
  const next = nextName(state)
  const calls = (
    <CallsNow {...{ phase, live, state }} verdicts={verdicts.now} onSay={(body) => void strike([body])} />
  )
  return (
    <div className="flex h-dvh flex-col">
      <TestHeader
        {...{ live, awake }}
        place={placeOf(legs)}
        onCourse={() => setCourse(true)}
        onMarks={() => setMarks(true)}
        onCover={setCovered}
        onLead={() =>
          void need(api.POST('/api/runs/{run_id}/lead', { params: { path: { run_id: run.id } } })).then(
            (head) => recorder.takePart(head),
          )
        }
        onMadeSafe={(why) => {
          const reason = why ? { why } : {}
          const up: Body[] = state.pedalDown ? [{ type: 'pedal', state: 'released' }] : []
          void strike([
            { type: 'made_safe', ...reason },
            ...up,
            { type: 'abandoned', why: why || 'made safe' },
          ])
        }}
      />
      {!rolling && (
        <button
          type="button"
          onClick={() => setCourse(true)}
          aria-label={t('test.course')}
          tabIndex={-1}
          className="block border-b border-line text-left max-md:hidden"
        >
          <Course {...{ legs, hideLimits }} />
        </button>
      )}
      <div className="grid min-h-0 grow grid-cols-[1fr_74px] md:grid-cols-[1fr_330px]">
        <main className="flex min-h-0 min-w-0 flex-col">
          <div className="flex grow flex-col gap-3 overflow-y-auto px-4 pt-4 sm:px-9">
            <div aria-live="polite" data-phase={phase.name}>
              <h1 className="text-[1.45rem] leading-tight md:text-title">{title}</h1>
              {before && <p className="mt-1 text-lead">{before}</p>}
              <p className="mt-1 text-lead">{does}</p>
            </div>
            {link && (
              <FeedSigns
                {...{ state, phase }}
                feed={link.state}
                onTake={(marks, { at, numbers }) => {
                  const seen = (body: Body) => ({ ...(wantsNumbers(body) ? numbers : {}), ...body })
                  void strike(bodiesOf(marks).map(seen), at)
                }}
              />
            )}
            {twins && <MarkedTwice {...{ twins, watches }} onStrike={(bodies) => void strike(bodies)} />}
            {!rolling && phase.name !== 'rest' && calls}
            <StageBody
              {...{ phase, live, state, legs, bar, holdS, ownWatch }}
              compact={readings !== null}
              livePsi={link?.state.numbers ? lowestPsi({ numbers: link.state.numbers }) : null}
              verdicts={verdicts.now}
              onDevice={verdicts.onDevice}
              onStrike={(bodies) => void strike(bodies)}
              onStop={() => once(finish)}
              onGoOn={() => once(goOn)}
            />
            {phase.name === 'rest' && calls}
            {readings && !rolling && (phase.name !== 'rest' || chosen) && (
              <Tapes
                {...{ script, readings }}
                waiting={state.waiting}
                onChoose={setChosen}
                ownButton={bar.act !== 'accept' && phase.name !== 'read'}
              />
            )}
            {phase.name === 'read' && phase.step === null && !watches && (
              <Button onClick={() => once(finish)} className="self-start">
                {t('test.without')}
              </Button>
            )}
            {phase.name === 'strike' && !rolling && (!watches || phase.strike.name === 'warning') && (
              <SideStrikes
                {...{ speed }}
                {...phase}
                onSpeed={setSpeed}
                onStrike={(bodies) => void strike(bodies)}
              />
            )}
            {!rolling && phase.name !== 'rest' && state.lastStrike.every(isOwn) && (
              <TakeBack
                lastStrike={state.lastStrike}
                onTakeBack={(ids) => void strike(ids.map((event) => ({ type: 'withdrawn', event })))}
              />
            )}
          </div>
          {unkept && (
            <p role="alert" className="bg-clay px-4 py-2 font-bold text-on-clay sm:px-9">
              {t('test.unkept')}
            </p>
          )}
          <Strike
            word={t(`test.strike.${bar.word}`, { psi: reading(script.usual_psi[bar.word] ?? 0) })}
            under={t(`test.under.${bar.under}`, { next: next ? t(next) : '' })}
            asks={bar.word}
            held={bar.held}
            disabled={(bar.disabled ?? false) || covered}
            onStrike={onStrike}
          />
        </main>
        <aside className="min-h-0 border-l border-line">
          {!rolling && (
            <TestColumn
              {...{ script, state, hideLimits }}
              live={link?.state.numbers ?? null}
              present={inSight?.step}
              verdicts={verdicts.latest}
            />
          )}
        </aside>
      </div>
      <CourseDialog
        open={course}
        {...{ script, state, legs, watches }}
        onClose={() => setCourse(false)}
        onStrike={(bodies) => void strike(bodies)}
      />
      <MarksDialog
        open={marks}
        {...{ state, live }}
        verdicts={verdicts.latest}
        onClose={() => setMarks(false)}
        onCorrect={(mark) => {
          setMarks(false)
          setChosen([mark])
        }}
        onStrike={(bodies) => void strike(bodies)}
      />
    </div>
  )
}

/** The calls of this moment: before a stage, or for each of those just done. */
function CallsNow({
  phase,
  verdicts,
  ...rest
}: {
  phase: Phase
  live: LiveRun
  state: TestState
  verdicts: Verdict[] | undefined
  onSay: (body: Body) => void
}) {
  if (phase.name === 'rest') {
    return phase.stages.map((step) => (
      <Calls
        key={step.step}
        {...rest}
        step={step}
        when="after"
        verdict={lastAttempt(verdicts, step)}
        named={phase.stages.length > 1}
      />
    ))
  }
  const step = phase.name === 'ask' || phase.name === 'strike' ? phase.step : null
  if (!step) return null
  // a stage that runs straight on from another is still to be talked about
  const before = rest.state.lead.done.at(-1)?.step
  const late = before?.straight_on === step.step && phase.name === 'strike' ? before : null
  return (
    <>
      {late && <Calls {...rest} step={late} when="after" verdict={lastAttempt(verdicts, late)} />}
      <Calls {...rest} step={step} when="before" />
    </>
  )
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

/** An action with nothing of its own to strike, done by doing the stage after it. */
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
