import { lazy, Suspense, useEffect, useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { LiveRun, Recorder } from '../../device'
import { isOwn } from '../../run'
import { useFigures } from '../../shared/figures/useFigures'
import { Button } from '../../shared/ui'
import { CallsNow } from './CallsNow'
import { FeedSigns } from './FeedSigns'
import { placeOf } from './legs'
import { MarkedTwice } from './MarkedTwice'
import { SideStrikes } from './SideStrikes'
import { StageBody } from './StageBody'
import { Strike } from './Strike'
import { TakeBack } from './TakeBack'
import { Tapes } from './Tapes'
import { TestHeader } from './TestHeader'
import { useConductor } from './useConductor'
import { lowestPsi } from './useReadings'
import { useWakeLock } from './useTimer'

// what to do and the strike come first, the drawings and what opens over them right after
const drawings = () => import('./drawings')
const Course = lazy(() => drawings().then((m) => ({ default: m.Course })))
const TestColumn = lazy(() => drawings().then((m) => ({ default: m.TestColumn })))
const dialogs = () => import('./dialogs')
const CourseDialog = lazy(() => dialogs().then((m) => ({ default: m.CourseDialog })))
const MarksDialog = lazy(() => dialogs().then((m) => ({ default: m.MarksDialog })))

/** The test screen: what to do now, the strike, the clock and the tapes, and the air column beside them. */
export function Conductor({ recorder, live }: { recorder: Recorder; live: LiveRun }) {
  const { t } = useTranslation()
  const { reading } = useFigures()
  const awake = useWakeLock()
  const [covered, setCovered] = useState(false)
  const [open, setOpen] = useState<'course' | 'marks' | null>(null)
  useEffect(() => void dialogs().catch(() => undefined), [])
  const test = useConductor(recorder, live)
  const { state, phase, bar, legs, readings, feed, rolling, watches, verdicts, strike } = test
  const { script, setup } = live.run
  const hideLimits = setup.calls === 'rehearsal'
  const calls = (
    <CallsNow {...{ phase, live, state }} verdicts={verdicts.now} onSay={(body) => strike([body])} />
  )
  return (
    <div className="flex h-dvh flex-col">
      <TestHeader
        {...{ live, awake }}
        place={placeOf(legs)}
        onCourse={() => setOpen('course')}
        onMarks={() => setOpen('marks')}
        onCover={setCovered}
        onLead={test.takeLead}
        onMadeSafe={test.makeSafe}
      />
      {!rolling && (
        <button
          type="button"
          onClick={() => setOpen('course')}
          aria-label={t('test.course')}
          tabIndex={-1}
          className="block border-b border-line text-left max-md:hidden"
        >
          <Suspense fallback={<div className="h-32" />}>
            <Course {...{ legs, hideLimits }} />
          </Suspense>
        </button>
      )}
      <div className="grid min-h-0 grow grid-cols-[1fr_74px] md:grid-cols-[1fr_330px]">
        <main className="flex min-h-0 min-w-0 flex-col">
          <div className="flex grow flex-col gap-3 overflow-y-auto px-4 pt-4 sm:px-9">
            <div aria-live="polite" data-phase={phase.name}>
              <h1 className="text-[1.45rem] leading-tight md:text-title">{test.title}</h1>
              {test.before && <p className="mt-1 text-lead">{test.before}</p>}
              <p className="mt-1 text-lead">{test.does}</p>
            </div>
            {feed && <FeedSigns {...{ state, phase }} feed={feed.state} onTake={test.takeProposal} />}
            {test.duplicates && (
              <MarkedTwice duplicates={test.duplicates} {...{ watches }} onStrike={strike} />
            )}
            {!rolling && phase.name !== 'rest' && calls}
            <StageBody
              {...{ phase, live, state, legs, bar }}
              holdS={test.holdS}
              ownWatch={test.ownWatch}
              compact={readings !== null}
              livePsi={feed?.state.numbers ? lowestPsi({ numbers: feed.state.numbers }) : null}
              verdicts={verdicts.now}
              onDevice={verdicts.onDevice}
              onStrike={strike}
              onStop={test.stop}
              onGoOn={test.goOn}
            />
            {phase.name === 'rest' && calls}
            {readings && !rolling && (phase.name !== 'rest' || test.chosen) && (
              <Tapes
                {...{ script, readings }}
                waiting={state.waiting}
                onChoose={test.choose}
                ownButton={bar.act !== 'accept' && phase.name !== 'read'}
              />
            )}
            {phase.name === 'read' && phase.step === null && !watches && (
              <Button onClick={test.stop} className="self-start">
                {t('test.without')}
              </Button>
            )}
            {phase.name === 'strike' && !rolling && (!watches || phase.strike.name === 'warning') && (
              <SideStrikes speed={test.speed} {...phase} onSpeed={test.setSpeed} onStrike={strike} />
            )}
            {!rolling && phase.name !== 'rest' && state.lastStrike.every(isOwn) && (
              <TakeBack
                lastStrike={state.lastStrike}
                onTakeBack={(ids) => strike(ids.map((event) => ({ type: 'withdrawn', event })))}
              />
            )}
          </div>
          {test.unkept && (
            <p role="alert" className="bg-clay px-4 py-2 font-bold text-on-clay sm:px-9">
              {t('test.unkept')}
            </p>
          )}
          <Strike
            word={t(`test.strike.${bar.word}`, { psi: reading(script.usual_psi[bar.word] ?? 0) })}
            under={t(`test.under.${bar.under}`, { next: test.next ? t(test.next) : '' })}
            asks={bar.word}
            held={bar.held}
            disabled={(bar.disabled ?? false) || covered}
            onStrike={test.onStrike}
          />
        </main>
        <aside className="min-h-0 border-l border-line">
          {!rolling && (
            <Suspense>
              <TestColumn
                {...{ script, state, hideLimits }}
                live={feed?.state.numbers ?? null}
                present={test.inSight?.step}
                verdicts={verdicts.latest}
              />
            </Suspense>
          )}
        </aside>
      </div>
      <Suspense>
        {open === 'course' && (
          <CourseDialog
            open
            {...{ script, state, legs, watches }}
            onClose={() => setOpen(null)}
            onStrike={strike}
          />
        )}
        {open === 'marks' && (
          <MarksDialog
            open
            {...{ state, live }}
            verdicts={verdicts.latest}
            onClose={() => setOpen(null)}
            onCorrect={(mark) => {
              setOpen(null)
              test.choose([mark])
            }}
            onStrike={strike}
          />
        )}
      </Suspense>
    </div>
  )
}
