import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useEffect, useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { aboutQuery } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { unlockSound, useSound } from '../../run'
import { type LiveRun, leads } from '../../device'
import type { Awake } from './useTimer'

// what opens over the screen comes a moment after the screen itself, and is there before a thumb is
const menus = () => import('./menus')
const AsideMarks = lazy(() => menus().then((m) => ({ default: m.AsideMarks })))
const Keys = lazy(() => menus().then((m) => ({ default: m.Keys })))
const PreferencesMenu = lazy(() => menus().then((m) => ({ default: m.PreferencesMenu })))
const Watching = lazy(() => menus().then((m) => ({ default: m.Watching })))
const makeSafe = () => import('./MakeSafeDialog')
const MakeSafeDialog = lazy(() => makeSafe().then((m) => ({ default: m.MakeSafeDialog })))

interface TestHeaderProps {
  live: LiveRun
  awake: Awake
  /** Beside a practice vehicle, which has a head of its own. */
  narrow: boolean
  place: { now: number; all: number }
  onCourse: () => void
  onMarks: () => void
  onCover: (covered: boolean) => void
  onMadeSafe: (why: string) => void
  onLead: () => void
}

/** Which unit, where on the course, what has been saved, what is lost, and the way out: make safe. */
export function TestHeader(props: TestHeaderProps) {
  const { live, awake, narrow, place, onCourse, onMarks, onCover, onMadeSafe, onLead } = props
  const { t } = useTranslation()
  const { language } = useFigures()
  const { run } = live
  const toCourse = (
    <button
      type="button"
      onClick={onCourse}
      aria-label={`${t('test.course')}: ${t('test.place', place)}`}
      className="min-h-touch min-w-touch px-1 whitespace-nowrap underline decoration-line underline-offset-4"
    >
      {t('test.place', place)}
    </button>
  )
  if (narrow) {
    return (
      <div className="flex min-h-touch items-center justify-between gap-1 border-b border-line px-2">
        {toCourse}
        <ToMarks onMarks={onMarks} />
        <MakeSafe onCover={onCover} onDone={onMadeSafe} />
      </div>
    )
  }
  return (
    <header className="flex min-h-14 items-center gap-x-1.5 border-b-2 border-ink px-2 sm:gap-x-4 sm:px-5">
      <b className="text-lead max-lg:hidden" style={{ fontStretch: '118%' }}>
        Low Hiss
      </b>
      <span className="whitespace-nowrap">
        <b>{run.unitName}</b> <span className="text-soft max-lg:hidden">{t(`kind.${run.kind}`)}</span>
      </span>
      {toCourse}
      <span className="text-note text-soft max-xl:hidden">
        {t('test.rules')} <b className="font-semibold text-ink">{run.script.rules.title[language]}</b>
      </span>
      <DemoSign />
      <span className="ml-auto flex items-center gap-x-1.5 sm:gap-x-4">
        <Signs awake={awake} />
        <Suspense>
          <Saved live={live} />
        </Suspense>
        <ToMarks onMarks={onMarks} />
        <Suspense fallback={<i className="min-h-touch min-w-touch" />}>
          <Keys />
          <PreferencesMenu />
        </Suspense>
        {leads(run) ? (
          <MakeSafe onCover={onCover} onDone={onMadeSafe} />
        ) : (
          <Suspense>
            <Watching driver={run.driver} onLead={onLead} />
          </Suspense>
        )}
      </span>
    </header>
  )
}

function ToMarks({ onMarks }: { onMarks: () => void }) {
  const { t } = useTranslation()
  return (
    <button
      type="button"
      onClick={onMarks}
      aria-label={t('test.marksTitle')}
      className="grid min-h-touch min-w-touch place-items-center"
    >
      <svg aria-hidden width="20" height="16" viewBox="0 0 20 16">
        <path d="M0 2h12M0 8h12M0 14h12M15 2h5M15 8h5M15 14h5" stroke="currentColor" strokeWidth="2" />
      </svg>
    </button>
  )
}

/** That what is here was invented. */
function DemoSign() {
  const { t } = useTranslation()
  const { data } = useQuery(aboutQuery())
  if (!data?.demo) return null
  return (
    <span className="border border-ink px-2 text-note font-semibold whitespace-nowrap max-md:hidden">
      {t('app.demo')}
    </span>
  )
}

/** What the driver would miss with the eyes on the needles: a sound that is gone, a screen that may go dark. */
function Signs({ awake }: { awake: Awake }) {
  const { t } = useTranslation()
  const sound = useSound()
  return (
    <>
      {sound === 'silent' && (
        <button
          type="button"
          onClick={() => void unlockSound()}
          className="min-h-touch text-note font-semibold underline underline-offset-4"
        >
          {t('test.soundLost')}
        </button>
      )}
      {sound === 'muted' && <span className="text-note text-soft max-sm:hidden">{t('test.muted')}</span>}
      {awake === 'lost' && <span className="text-note text-soft max-lg:hidden">{t('test.awakeLost')}</span>}
    </>
  )
}

/** What is kept where: calm while all is well, plain when marks wait or were set aside. */
function Saved({ live }: { live: LiveRun }) {
  const { t } = useTranslation()
  const waiting = live.events.filter(({ delivery }) => delivery === 'waiting').length
  const aside = live.events.filter(({ delivery }) => delivery === 'aside')
  if (aside.length > 0) return <AsideMarks aside={aside} />
  const calm = waiting === 0 && !live.run.begin
  return (
    <span data-saved={calm} className="flex items-center gap-2 text-note text-soft" aria-live="polite">
      <i aria-hidden className={`size-2.5 ${calm ? 'bg-air' : 'border-2 border-ink bg-amber'}`} />
      <span className={`max-sm:sr-only ${calm ? '' : 'font-semibold text-ink'}`}>
        {calm ? t('test.saved') : t('test.waiting', { count: waiting })}
      </span>
      {!calm && (
        <b aria-hidden className="num text-ink sm:hidden">
          {waiting}
        </b>
      )}
    </span>
  )
}

/** The way out, always in reach: its button is part of the screen, its questions are loaded right after it. */
function MakeSafe({
  onCover,
  onDone,
}: {
  onCover: (covered: boolean) => void
  onDone: (why: string) => void
}) {
  const { t } = useTranslation()
  const [open, setOpen] = useState(false)
  useEffect(() => void makeSafe().catch(() => undefined), [])
  const change = (next: boolean) => {
    setOpen(next)
    onCover(next)
  }
  return (
    <>
      <button
        type="button"
        onClick={() => change(true)}
        className="min-h-touch border-[1.5px] border-clay px-2 font-semibold whitespace-nowrap text-clay sm:px-3"
      >
        {t('test.makeSafe')}
      </button>
      {open && (
        <Suspense>
          <MakeSafeDialog onClose={() => change(false)} onDone={onDone} />
        </Suspense>
      )}
    </>
  )
}
