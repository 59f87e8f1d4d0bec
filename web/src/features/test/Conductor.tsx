import { useEffect, useState } from 'react'
import { useTranslation } from 'react-i18next'
import { useNavigate } from 'react-router'
import { useFigures } from '../../figures/useFigures'
import {
  leakStep,
  markName,
  now,
  scheduleHold,
  secondsSince,
  unlockSound,
  type Body,
  type LiveRun,
  type Moment,
  type PrepareNeed,
  type Progress,
  type Recorder,
  type Script,
} from '../../live'
import { Strike } from '../../ui'
import { Bodies, bodiesFor } from './events'
import { Course } from './Course'
import { Judged, useVerdict } from './Judged'
import { HoldClock, WaitClock } from './Clocks'
import { Prepare } from './Prepare'
import { Tapes } from './Tapes'
import { TestColumn } from './TestColumn'
import { TestHeader } from './TestHeader'
import { useReadings, type Readings } from './useReadings'
import { useTicking, useWakeLock } from './useSeconds'

export interface StageProps {
  recorder: Recorder
  live: LiveRun
  progress: Progress
}

/** The test screen: what to do now, the strike, the clock and the tapes, and the air column beside them. */
export function Conductor({ recorder, live, progress }: StageProps) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const navigate = useNavigate()
  const [covered, setCovered] = useState(false)
  const { run } = live
  const { phase } = progress
  const limit = leakStep(run.script).limit
  const holdS = limit?.hold_s ?? 60
  useWakeLock()
  useTicking(phase === 'start' || phase === 'settle' || phase === 'hold')

  const strike = (bodies: Body[], at: Moment = now()) => recorder.strike(run.id, bodies, at)
  const leftS = progress.start && !progress.end ? holdS - secondsSince(progress.start) : 0
  useHoldEnd(progress, holdS, (at) => void strike([Bodies.end()], at))

  const verdict = useVerdict(live, progress)
  const readings = useReadings(run.script, progress, (id, numbers) => {
    void strike([{ type: 'valued', event: id, ...numbers }])
  })
  const bar = barFor(progress, run.script, readings, verdict !== undefined)
  const onStrike = (at: Moment) => {
    void unlockSound()
    if (phase === 'read') readings?.accept()
    else if (phase === 'judged') {
      void strike([{ type: 'finished' }], at).then(() => navigate(`/runs/${run.id}`))
    } else void strike(bodiesFor(progress, run.script.knobs), at)
  }

  return (
    <div className="flex h-dvh flex-col">
      <TestHeader {...{ recorder, live, progress }} onCover={setCovered} />
      <div className="max-md:hidden">
        <Course progress={progress} holdS={holdS} />
      </div>
      <div className="grid min-h-0 grow grid-cols-[1fr_74px] md:grid-cols-[1fr_330px]">
        <main className="flex min-h-0 min-w-0 flex-col">
          <div className="flex grow flex-col gap-3 overflow-y-auto px-4 pt-4 sm:px-9">
            <div aria-live="polite">
              <h1 className="text-[1.55rem] md:text-title">{t('stage.leak_applied')}</h1>
              <p className="mt-1 text-lead">{t(`test.does.${bar.does}`)}</p>
            </div>
            {limit && phase !== 'judged' && (
              <blockquote
                className={`border-l-4 border-ink pl-3 ${phase === 'hold' || phase === 'read' ? 'max-md:hidden' : ''}`}
              >
                “{limit.words[language]}”
              </blockquote>
            )}
            <Stage
              {...{ recorder, live, progress }}
              {...{ holdS, leftS }}
              {...{ verdict, readings, strike }}
            />
            <TakeBack
              progress={progress}
              onTakeBack={(ids) => void strike(ids.map((event) => ({ type: 'withdrawn', event })))}
            />
          </div>
          <Strike
            word={t(`test.strike.${bar.word}`)}
            under={t(`test.under.${bar.under}`)}
            held={phase === 'hold'}
            disabled={bar.disabled || covered}
            onStrike={onStrike}
          />
        </main>
        <aside className="min-h-0 border-l border-line">
          <TestColumn {...{ live, progress }} />
        </aside>
      </div>
    </div>
  )
}

type Stage = StageProps & {
  holdS: number
  leftS: number
  verdict: ReturnType<typeof useVerdict>
  readings: Readings | null
  strike: (bodies: Body[], at?: Moment) => Promise<void>
}

function Stage({ live, progress, holdS, leftS, verdict, readings, strike }: Stage) {
  const { script } = live.run
  switch (progress.phase) {
    case 'prepare':
    case 'pedal':
      return (
        <Prepare
          {...{ script, progress }}
          onAnswer={(need, yes) => void strike(Bodies.answer(need, yes, script.knobs))}
        />
      )
    case 'settle':
    case 'start':
      return (
        <WaitClock
          waitS={progress.pedalDown ? secondsSince(progress.pedalDown) : 0}
          advisedS={script.advised_wait_s}
        />
      )
    case 'hold':
    case 'read':
      return (
        <>
          {progress.phase === 'hold' && <HoldClock {...{ leftS, holdS, progress }} />}
          {readings && (
            <Tapes {...{ script, readings }} ownButton={progress.phase === 'hold'} early={progress.early} />
          )}
        </>
      )
    default:
      return <Judged verdict={verdict} />
  }
}

/** Ends the hold when its time is over: once, also when the page was asleep at that moment. */
function useHoldEnd(progress: Progress, holdS: number, end: (at: Moment) => void): void {
  const startId = progress.phase === 'hold' ? progress.start?.id : undefined
  useEffect(() => {
    if (!startId || !progress.start) return
    const start = progress.start
    const cancelTones = scheduleHold(holdS - secondsSince(start))
    let ended = false
    const check = () => {
      if (ended || secondsSince(start) < holdS) return
      ended = true
      end(now())
    }
    const timer = setInterval(check, 50)
    return () => {
      clearInterval(timer)
      // a hold that ran its time keeps sounding its end
      if (secondsSince(start) < holdS) cancelTones()
    }
    // one hold, one timer: only a new start mark may set another
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [startId, holdS])
}

interface BarWords {
  does: PrepareNeed | 'pedal' | 'settled' | 'start' | 'hold' | 'read' | 'judged' | 'waiting'
  word:
    | PrepareNeed
    | 'accept'
    | 'itIs'
    | 'pedal'
    | 'settled'
    | 'start'
    | 'up'
    | 'read'
    | 'readOne'
    | 'finish'
    | 'waiting'
  under:
    | PrepareNeed
    | 'knobs_in_two'
    | 'accept'
    | 'pedal'
    | 'settled'
    | 'start'
    | 'up'
    | 'read'
    | 'finish'
    | 'waiting'
  disabled?: boolean
}

function barFor(progress: Progress, script: Script, readings: Readings | null, judged: boolean): BarWords {
  const one = script.needles.length === 1
  switch (progress.phase) {
    case 'prepare': {
      const need = progress.nextNeed ?? 'wheels_chocked'
      return {
        does: need,
        word: need,
        under: need === 'knobs_in' && script.knobs.length > 1 ? 'knobs_in_two' : need,
      }
    }
    case 'pedal':
      return { does: 'pedal', word: 'pedal', under: 'pedal' }
    case 'settle':
      return { does: 'settled', word: 'settled', under: 'settled' }
    case 'start':
      return { does: 'start', word: 'start', under: 'start' }
    case 'hold':
      return { does: 'hold', word: 'up', under: 'up' }
    case 'read':
      if (readings?.complete)
        return { does: 'read', word: readings.asking ? 'itIs' : 'accept', under: 'accept' }
      return { does: 'read', word: one ? 'readOne' : 'read', under: 'read', disabled: true }
    default:
      return judged
        ? { does: 'judged', word: 'finish', under: 'finish' }
        : { does: 'waiting', word: 'waiting', under: 'waiting', disabled: true }
  }
}

/** The last strike can be taken back, with every mark it made. */
function TakeBack({ progress, onTakeBack }: { progress: Progress; onTakeBack: (ids: string[]) => void }) {
  const { t } = useTranslation()
  const { lastStrike, early } = progress
  const last = lastStrike.at(-1)
  // an end that came by the clock would come again at once
  if (!last || last.type === 'finished' || (last.point === 'end' && !early)) return null
  return (
    <button
      type="button"
      onClick={() => onTakeBack(lastStrike.map(({ id }) => id))}
      className="mt-auto mb-2 min-h-touch self-start text-note text-soft underline underline-offset-4"
    >
      {t('test.takeBack', { mark: t(`test.mark.${markName(last)}`) })}
    </button>
  )
}
