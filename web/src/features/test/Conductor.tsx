import { lazy, Suspense, useEffect, useState, type ComponentType } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { LiveRun, TestRecorder } from '../../device'
import { isOwn } from '../../run'
import { useFigures } from '../../shared/figures/useFigures'
import { needWords } from '../../shared/i18n'
import { Button } from '../../shared/ui'
import type { AroundProps } from './Alone'
import { CallsNow } from './CallsNow'
import { placeOf } from './legs'
import { StageBody } from './StageBody'
import { MarkBar } from './MarkBar'
import { TakeBack } from './TakeBack'
import { Tapes } from './Tapes'
import { TestHeader } from './TestHeader'
import { useConductor } from './useConductor'
import { lowestPsi } from './useReadings'
import { useWakeLock } from './useTimer'

// what to do and the mark bar come first, the drawings and what opens over them right after
const drawings = () => import('./drawings')
const Course = lazy(() => drawings().then((m) => ({ default: m.Course })))
const TestColumn = lazy(() => drawings().then((m) => ({ default: m.TestColumn })))
const MarkedTwice = lazy(() => import('./MarkedTwice').then((m) => ({ default: m.MarkedTwice })))
const FeedSigns = lazy(() => import('./FeedSigns').then((m) => ({ default: m.FeedSigns })))
const Examined = lazy(async () => {
  const [m] = await Promise.all([import('./Examined'), needWords('learn')])
  return { default: m.Examined }
})
const dialogs = () => import('./dialogs')
const Shown = lazy(() => dialogs().then((m) => ({ default: m.Shown })))
const SideMarks = lazy(() => dialogs().then((m) => ({ default: m.SideMarks })))
const CourseDialog = lazy(() => dialogs().then((m) => ({ default: m.CourseDialog })))
const MarksDialog = lazy(() => dialogs().then((m) => ({ default: m.MarksDialog })))

interface ConductorProps {
  recorder: TestRecorder
  live: LiveRun
  /** Beside a practice vehicle: as on a phone, without the head of a screen of its own. */
  narrow?: boolean
  /** What stands around a stage of the practice vehicle. */
  around?: ComponentType<AroundProps>
}

/** The test screen: what to do now, the mark bar, the clock and the tapes, and the air column beside them. */
export function Conductor({ recorder, live, narrow = false, around: Around }: ConductorProps) {
  const { t } = useTranslation()
  const { reading } = useFigures()
  const awake = useWakeLock()
  const [covered, setCovered] = useState(false)
  const [open, setOpen] = useState<'course' | 'marks' | null>(null)
  useEffect(() => void Promise.all([dialogs(), import('./StageEnd')]).catch(() => undefined), [])
  const test = useConductor(recorder, live)
  const { state, phase, bar, legs, readings, feed, rolling, watches, verdicts, mark } = test
  const { script, setup } = live.run
  const { coach } = live.run
  const hideLimits = setup.calls === 'rehearsal' || coach?.presents?.limits === false
  const Main = narrow ? 'div' : 'main'
  const calls = (
    <CallsNow {...{ phase, live, state }} verdicts={verdicts.now} onSay={(body) => mark([body])} />
  )
  const body = (
    <>
      {/* a practice vehicle is held by nothing */}
      {verdicts.onDevice && verdicts.now && !Around && (
        <Suspense>
          <Shown write={test.write} stages={verdicts.now} events={live.events} />
        </Suspense>
      )}
      <StageBody
        {...{ phase, live, state, legs, bar }}
        holdS={test.holdS}
        ownWatch={test.ownWatch}
        compact={readings !== null}
        livePsi={feed?.state.numbers ? lowestPsi({ numbers: feed.state.numbers }) : null}
        verdicts={verdicts.now}
        onDevice={verdicts.onDevice}
        onMark={mark}
        onStop={test.stop}
        onGoOn={test.goOn}
      />
      {phase.name === 'rest' && calls}
    </>
  )
  return (
    <div className={`flex flex-col ${narrow ? 'h-full min-h-0' : 'h-dvh'}`}>
      <TestHeader
        {...{ live, awake, narrow }}
        place={placeOf(legs)}
        onCourse={() => setOpen('course')}
        onMarks={() => setOpen('marks')}
        onCover={setCovered}
        onLead={test.takeLead}
        onMadeSafe={test.makeSafe}
      />
      {!rolling && !narrow && (
        <button
          type="button"
          onClick={() => setOpen('course')}
          tabIndex={-1}
          className="block border-b border-line text-left max-md:hidden"
        >
          <span className="sr-only">{t('test.course')}: </span>
          <Suspense fallback={<div className="h-32" />}>
            <Course {...{ legs, hideLimits }} />
          </Suspense>
        </button>
      )}
      <div
        className={`grid min-h-0 grow ${narrow ? 'lg:grid-cols-[1fr_74px]' : 'grid-cols-[1fr_74px] md:grid-cols-[1fr_330px]'}`}
      >
        <Main className="flex min-h-0 min-w-0 flex-col">
          <div className={`flex grow flex-col gap-3 overflow-y-auto px-4 pt-4 ${narrow ? '' : 'sm:px-9'}`}>
            <div aria-live="polite" data-phase={phase.name}>
              <h1 className={`text-[1.45rem] leading-tight ${narrow ? '' : 'md:text-title'}`}>
                {test.title}
              </h1>
              {test.before && <p className="mt-1 text-lead">{test.before}</p>}
              <p className="mt-1 text-lead">{test.does}</p>
            </div>
            {feed && (
              <Suspense>
                <FeedSigns {...{ state, phase }} feed={feed.state} onTake={test.takeProposal} />
              </Suspense>
            )}
            {test.duplicates && (
              <Suspense>
                <MarkedTwice duplicates={test.duplicates} {...{ watches }} onMark={mark} />
              </Suspense>
            )}
            {!rolling && phase.name !== 'rest' && calls}
            {Around && coach ? (
              <Around {...{ recorder, coach, live, state, phase }} onMark={mark}>
                {body}
              </Around>
            ) : setup.examined ? (
              <Suspense>
                <Examined {...{ live, state, phase }} onMark={mark} onStop={test.stop}>
                  {body}
                </Examined>
              </Suspense>
            ) : (
              body
            )}
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
            {phase.name === 'prompt' && !rolling && (!watches || phase.prompt.name === 'warning') && (
              <Suspense>
                <SideMarks speed={test.speed} {...phase} onSpeed={test.setSpeed} onMark={mark} />
              </Suspense>
            )}
            {!rolling && phase.name !== 'rest' && state.lastMarks.every(isOwn) && (
              <TakeBack
                lastMarks={state.lastMarks}
                onTakeBack={(ids) => mark(ids.map((event) => ({ type: 'withdrawn', event })))}
              />
            )}
          </div>
          {test.unkept && (
            <p role="alert" className="bg-clay px-4 py-2 font-bold text-on-clay sm:px-9">
              {t('test.unkept')}
            </p>
          )}
          <MarkBar
            word={t(`test.bar.${bar.word}`, { psi: reading(script.usual_psi[bar.word] ?? 0) })}
            under={t(`test.under.${bar.under}`, { next: test.next ? t(test.next) : '' })}
            asks={bar.word}
            narrow={narrow}
            held={bar.held}
            disabled={(bar.disabled ?? false) || covered}
            onMark={test.onMark}
          />
        </Main>
        <aside className={`min-h-0 border-l border-line ${narrow ? 'max-lg:hidden' : ''}`}>
          {!rolling && (
            <Suspense>
              <TestColumn
                {...{ script, state, hideLimits, narrow }}
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
            onMark={mark}
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
            onMark={mark}
          />
        )}
      </Suspense>
    </div>
  )
}
