import { Popover } from 'radix-ui'
import { useEffect, useState, useSyncExternalStore, type ComponentType, type ReactNode } from 'react'
import { Link, Navigate, useParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Described, LiveRun, Practice, TestRecorder } from '../../device'
import { useRecorder } from '../../run'
import { unitLabel, fromPsi } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { PreferencesContext, usePreferences } from '../../shared/preferences'
import { PreferencesMenu } from '../../shared/preferences/PreferencesMenu'
import { Button } from '../../shared/ui'
import { CabSwitches, Clutch, Gear, Key, Throttle } from './Controls'
import { AIR_SCALE, Dial, REVS_SCALE, SPEED_SCALE } from './Dial'
import { Ground } from './Ground'
import { Handed, handOf, type Hand } from './Handed'
import { Heard } from './Heard'
import { Knob } from './Knob'
import { Lamps } from './Lamps'
import { Pedal } from './Pedal'
import { DiagnosisDialog } from './DiagnosisDialog'
import { SmallGauges } from './SmallGauges'
import { TrainerLine } from './TrainerLine'
import { useCabSounds } from './useCabSounds'
import { useGamepad, useKeys } from './useKeys'
import { useDriveState, useSense } from './useSense'

export type ConductorPart = ComponentType<{ recorder: TestRecorder; live: LiveRun; narrow?: boolean }>

/** The practice vehicle: its dash, and the test screen beside it. */
export function DashPage({ conductor }: { conductor: ConductorPart }) {
  const { practiceId = '' } = useParams()
  const { t } = useTranslation()
  const device = useRecorder()
  const [opened, setOpened] = useState<{ practice: Practice } | 'gone'>()
  const recorder = 'recorder' in device ? device.recorder : null
  useEffect(() => {
    if (!recorder) return
    let wanted = true
    let here: Practice | undefined
    recorder
      .practices()
      .then(({ open }) => open(practiceId))
      .then((practice) => {
        if (!wanted) return
        here = practice
        setOpened({ practice })
        if (!practice.local.ended) void practice.start()
      })
      .catch(() => wanted && setOpened('gone'))
    return () => {
      wanted = false
      here?.stop()
    }
  }, [recorder, practiceId])
  if ('refusal' in device) {
    return <p className="p-6 font-semibold text-clay">{t('setup.storage', { why: device.refusal })}</p>
  }
  if (!opened) return <p className="p-6 text-soft">{t('app.loading')}</p>
  if (opened === 'gone') {
    return (
      <div className="p-6">
        <p className="text-lead">{t('practice.notHere')}</p>
        <Link to="/practice" className="font-semibold underline">
          {t('practice.title')}
        </Link>
      </div>
    )
  }
  if (opened.practice.local.ended) return <Navigate to={`/practice/${practiceId}/after`} replace />
  return <Driven practice={opened.practice} {...{ conductor }} />
}

function Driven({ practice, conductor }: { practice: Practice; conductor: ConductorPart }) {
  const { t } = useTranslation()
  useDriveState(practice)
  const { described, state } = practice
  const live = useSyncExternalStore(practice.subscribe, () => practice.snapshot())
  if (!described || !practice.frame || !live) return <Loading practice={practice} />
  if (live.run.closed) return <Navigate to={`/practice/${practice.local.id}/after`} replace />
  if (state === 'slow' || state === 'failed') {
    return (
      <div className="p-6">
        <p role="alert" className="border-l-4 border-clay pl-3 text-lead font-semibold text-clay">
          {t(`practice.stage.${state}`, { why: practice.why })}
        </p>
        <Link to="/practice" className="mt-4 inline-block font-semibold underline">
          {t('practice.title')}
        </Link>
      </div>
    )
  }
  return (
    <InItsUnit unit={described.presents?.pressure ?? null}>
      <Dash {...{ practice, described, live, conductor }} />
    </InItsUnit>
  )
}

/** Where a lesson is about the unit of its dials, the whole screen reads in it. */
function InItsUnit({ unit, children }: { unit: 'psi' | 'kpa' | 'bar' | null; children: ReactNode }) {
  const setting = usePreferences()
  const preferences = unit ? { ...setting.preferences, unit } : setting.preferences
  return <PreferencesContext value={{ ...setting, preferences }}>{children}</PreferencesContext>
}

/** What loads, said honestly: the interpreter comes once, then the vehicle is set up. */
function Loading({ practice }: { practice: Practice }) {
  const { t } = useTranslation()
  const { state, why } = practice
  return (
    <div className="grid h-dvh place-content-center gap-4 p-6">
      <h1 className="text-title">{practice.local.title}</h1>
      {state === 'failed' || state === 'slow' ? (
        <p role="alert" className="border-l-4 border-clay pl-3 font-semibold text-clay">
          {t(`practice.stage.${state}`, { why })}
        </p>
      ) : (
        <>
          <p role="status" data-loading={state} className="max-w-prose text-lead">
            {t(`practice.stage.${state === 'ready' ? 'vehicle' : state}`)}
          </p>
          <div aria-hidden className="h-2 w-72 max-w-full border-[1.5px] border-ink">
            <div className={`h-full bg-air ${state === 'interpreter' ? 'w-1/2 animate-pulse' : 'w-11/12'}`} />
          </div>
        </>
      )}
      <Link to="/practice" className="font-semibold underline">
        {t('app.cancel')}
      </Link>
    </div>
  )
}

interface DashProps {
  practice: Practice
  described: Described
  live: LiveRun
  conductor: ConductorPart
}

const LETTERS_KEY = 'lowhiss.letters'

function Dash({ practice, described, live, conductor: Conductor }: DashProps) {
  const { t } = useTranslation()
  const [letters, setLetters] = useState(() => localStorage.getItem(LETTERS_KEY) !== 'off')
  const { mode } = described
  const [led, setLed] = useState(mode !== 'free' && mode !== 'diagnosis')
  const [sound, turnSound] = useCabSounds(practice)
  const refusal = useRefusal(practice)
  useKeys(practice, described, letters)
  useGamepad(practice)
  useStandsStill(practice)
  const dark = useSense(practice, (frame) => frame.key === 'start', false)
  const wide = useWide()
  const hand = described.presents?.hands ? handOf(live) : null
  const turnLetters = () => {
    setLetters(!letters)
    localStorage.setItem(LETTERS_KEY, letters ? 'off' : 'on')
  }
  return (
    <div
      className={`grid h-dvh grid-cols-[minmax(0,1fr)] grid-rows-[auto_minmax(0,1fr)] overflow-hidden lg:grid-cols-[minmax(0,1fr)_22.5rem] ${led ? '' : 'lg:grid-cols-1'}`}
    >
      <Head {...{ practice, sound, turnSound, letters, turnLetters, led }} onLed={() => setLed(!led)} />
      <main className="contents">
        <section
          aria-label={t('practice.dash')}
          className={`grid min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[auto_auto_minmax(0,1fr)] lg:grid-rows-[5.5rem_minmax(0,1fr)_auto_auto] ${dark ? 'brightness-75' : ''}`}
        >
          <div className="h-12 border-b-[1.5px] border-ink lg:h-auto">
            <Ground {...{ practice, described }} />
          </div>
          <Instruments {...{ practice, described, hand }} />
          {wide && (
            <>
              <div className="flex items-center gap-4 border-t border-line px-3 py-1">
                <SmallGauges practice={practice} />
                <div className="min-w-0 grow">
                  <Heard practice={practice} />
                </div>
                {refusal && (
                  <p role="alert" className="font-semibold text-clay">
                    {refusal}
                  </p>
                )}
              </div>
              <div className="grid grid-cols-[15.5rem_11rem_minmax(0,1fr)_12.5rem] gap-3 border-t-[1.5px] border-ink p-3">
                <div className="grid content-between gap-2">
                  <Handed on={hand === 'key'}>
                    <Key practice={practice} />
                  </Handed>
                  <Handed on={hand === 'gear'}>
                    <Gear {...{ practice, described }} />
                  </Handed>
                </div>
                <div className="grid content-between gap-2">
                  <Throttle practice={practice} />
                  {described.clutch && <Clutch practice={practice} />}
                </div>
                <Handed on={hand === 'pedal'}>
                  <Pedal practice={practice} />
                </Handed>
                <Handed on={hand === 'cab'}>
                  <CabSwitches practice={practice} />
                </Handed>
              </div>
            </>
          )}
          {!wide && (
            <Below {...{ practice, described, led, refusal, hand }}>
              {led && <Conductor recorder={practice} live={live} narrow />}
            </Below>
          )}
        </section>
        {led && wide && (
          <div className="min-h-0 border-l-[1.5px] border-ink [--text-clock:4.5rem] [--text-lead:1.0625rem]">
            <Conductor recorder={practice} live={live} narrow />
          </div>
        )}
      </main>
    </div>
  )
}

/** What stands beside the dash where there is room, and below it on a phone: one of the two is ever drawn. */
const isWide = () => window.matchMedia('(min-width: 64rem)').matches
const useWide = () =>
  useSyncExternalStore((hear) => {
    const query = window.matchMedia('(min-width: 64rem)')
    query.addEventListener('change', hear)
    return () => query.removeEventListener('change', hear)
  }, isWide)

interface BelowProps {
  practice: Practice
  described: Described
  led: boolean
  refusal: string
  hand: Hand | null
  children: ReactNode
}

/** The lower half of a phone: knobs, key and the rest in a row that slides, then pedal and mark bar for two thumbs. */
function Below({ practice, described, led, refusal, hand, children }: BelowProps) {
  const { t } = useTranslation()
  return (
    <div className="flex min-h-0 min-w-0 flex-col border-t-[1.5px] border-ink">
      <div className="flex items-center justify-between gap-2 px-2">
        <Heard practice={practice} />
        {refusal && (
          <p role="alert" className="shrink-0 text-note font-semibold text-clay">
            {refusal}
          </p>
        )}
      </div>
      <div
        tabIndex={0}
        role="group"
        aria-label={t('practice.dash')}
        className="flex shrink-0 snap-x items-start gap-3 overflow-x-auto px-2 pb-2"
      >
        <div className="flex w-48 shrink-0 snap-start gap-1">
          <Handed on={hand === 'parking'}>
            <Knob practice={practice} which="parking" />
          </Handed>
          {described.knobs.includes('trailer') && (
            <Handed on={hand === 'trailer'}>
              <Knob practice={practice} which="trailer" />
            </Handed>
          )}
        </div>
        <div className="w-44 shrink-0 snap-start">
          <Handed on={hand === 'key'}>
            <Key practice={practice} />
          </Handed>
        </div>
        {described.clutch && (
          <div className="w-40 shrink-0 snap-start">
            <Clutch practice={practice} />
          </div>
        )}
        <div className="w-64 shrink-0 snap-start">
          <Handed on={hand === 'gear'}>
            <Gear {...{ practice, described }} />
          </Handed>
        </div>
        <div className="w-52 shrink-0 snap-start">
          <Throttle practice={practice} />
        </div>
        <div className="w-56 shrink-0 snap-start">
          <Handed on={hand === 'cab'}>
            <CabSwitches practice={practice} />
          </Handed>
        </div>
      </div>
      <div className={`grid min-h-44 grow ${led ? 'grid-cols-[36%_1fr]' : ''} border-t border-line`}>
        <div className="min-h-0 p-1.5">
          <Handed on={hand === 'pedal'}>
            <Pedal practice={practice} slim />
          </Handed>
        </div>
        {led && <div className="min-h-0 border-l border-line">{children}</div>}
      </div>
    </div>
  )
}

interface InstrumentsProps {
  practice: Practice
  described: Described
  hand: Hand | null
}

function Instruments({ practice, described, hand }: InstrumentsProps) {
  const { t } = useTranslation()
  const { unit } = useFigures()
  const wide = useWide()
  const scale = AIR_SCALE[unit]
  const names = described.needles.map((name) =>
    t(described.needles.length === 1 ? 'practice.single' : `practice.${name as 'primary'}`),
  )
  const air = names.map((_, n) => (frame: { needles: number[] }) => fromPsi(frame.needles[n] ?? 0, unit))
  const spoken = (values: number[]) =>
    values
      .map((value) => t('practice.psiAt', { value: Number(value.toFixed(1)), unit: unitLabel[unit] }))
      .join(', ')
  const step = scale.mark
  const revs = (
    <Dial
      {...{ practice }}
      scale={REVS_SCALE}
      name={t('practice.revs')}
      unit={t('practice.revsUnit')}
      needles={[(frame) => frame.rpm / 100]}
      spoken={(values) => `${Math.round((values[0] ?? 0) * 100)}`}
      step={0.5}
      radius={62}
    />
  )
  const speed = (
    <Dial
      {...{ practice }}
      scale={SPEED_SCALE}
      name={t('practice.speed')}
      unit={t('practice.mph')}
      needles={[(frame) => frame.mph]}
      spoken={(values) => `${values[0] ?? 0}`}
      step={1}
      radius={62}
    />
  )
  if (!wide) {
    return (
      <div className="grid min-h-0 grid-cols-[1fr_7.2rem] bg-sheet">
        <div className="relative h-60 p-1">
          <Dial
            {...{ practice, scale, spoken, step }}
            name={names.join(' / ')}
            unit={unitLabel[unit]}
            needles={air}
            radius={176}
            big
            legend={names.length > 1}
          />
          {names.length > 1 && (
            <p aria-hidden className="absolute right-1 bottom-2 text-note leading-snug">
              <span className="block">
                <i className="mr-1.5 inline-block h-1.5 w-5 bg-air align-middle" />
                {names[0]}
              </span>
              <span className="block">
                <i className="mr-1.5 inline-block h-0.5 w-5 bg-ink align-middle" />
                {names[1]}
              </span>
              <span className="text-soft">{unitLabel[unit]}</span>
            </p>
          )}
        </div>
        <div className="grid min-h-0 content-start gap-1 p-1.5">
          <Lamps {...{ practice, described }} />
          <div className="h-20">{revs}</div>
          <div className="h-20">{speed}</div>
        </div>
      </div>
    )
  }
  return (
    <div className="grid min-h-0 grid-cols-[6.5rem_minmax(0,1fr)_minmax(0,1fr)_minmax(12.5rem,16rem)] gap-2 bg-sheet p-2">
      <div className="grid min-h-0 grid-rows-2">
        <div className="min-h-0">{revs}</div>
        <div className="min-h-0">{speed}</div>
      </div>
      {air.map((needle, n) => (
        <div key={n} className={`min-h-0 ${air.length === 1 ? 'col-span-2' : ''}`}>
          <Dial
            {...{ practice, scale, spoken, step }}
            name={names[n] ?? ''}
            unit={unitLabel[unit]}
            needles={[needle]}
            radius={205}
            big
          />
        </div>
      ))}
      <div className="grid content-between gap-2">
        <Lamps {...{ practice, described }} />
        <div className="grid grid-cols-2 gap-2">
          <Handed on={hand === 'parking'}>
            <Knob practice={practice} which="parking" hint="Y" />
          </Handed>
          {described.knobs.includes('trailer') && (
            <Handed on={hand === 'trailer'}>
              <Knob practice={practice} which="trailer" hint="T" />
            </Handed>
          )}
        </div>
      </div>
    </div>
  )
}

interface HeadProps {
  practice: Practice
  sound: boolean
  turnSound: () => void
  letters: boolean
  turnLetters: () => void
  led: boolean
  onLed: () => void
}

const KEYMAP = ['key', 'pedal', 'clutch', 'gear', 'throttle', 'knobs', 'cab', 'out', 'space'] as const

function Head({ practice, sound, turnSound, letters, turnLetters, led, onLed }: HeadProps) {
  const { t } = useTranslation()
  const [sheet, setSheet] = useState(false)
  const mode = practice.described?.mode
  const silent = mode === 'exam' || mode === 'memory'
  const state = useDriveState(practice)
  const [frozen, setFrozen] = useState(false)
  const running = useSense(practice, (frame) => frame.rpm > 400, false)
  const quiet = 'min-h-touch min-w-touch px-1.5 text-note whitespace-nowrap underline underline-offset-4'
  return (
    <header
      data-state={state}
      className="col-span-full flex min-h-12 items-center gap-x-3 border-b-2 border-ink px-2 sm:px-4"
    >
      <b className="whitespace-nowrap">{t('practice.title')}</b>
      <span className="truncate text-soft max-md:hidden">{practice.local.title}</span>
      <span className="border border-ink px-1.5 text-[13px] font-bold">{t('practice.simulated')}</span>
      {practice.stoodS > 0 && (
        <span role="status" className="truncate text-note text-soft max-lg:hidden">
          {t('practice.stood', { seconds: Math.round(practice.stoodS) })}
        </span>
      )}
      <span className="ml-auto flex items-center gap-x-1 sm:gap-x-2">
        <TrainerLine practice={practice} />
        {mode === 'diagnosis' && <Button onClick={() => setSheet(true)}>{t('learn.handIn')}</Button>}
        {sheet && <DiagnosisDialog practice={practice} onClose={() => setSheet(false)} />}
        {running && !silent && (
          <button
            type="button"
            className={quiet}
            onClick={() => practice.fillFaster(practice.rate > 1 ? 1 : 4)}
            aria-pressed={practice.rate > 1}
          >
            {t(practice.rate > 1 ? 'practice.normal' : 'practice.faster')}
          </button>
        )}
        {mode !== 'exam' && (
          <button
            type="button"
            aria-pressed={frozen}
            className={`${quiet} max-sm:hidden`}
            onClick={() => {
              practice.freeze(!frozen)
              setFrozen(!frozen)
            }}
          >
            {t(frozen ? 'practice.thaw' : 'practice.freeze')}
          </button>
        )}
        <button type="button" aria-pressed={sound} className={`${quiet} max-sm:hidden`} onClick={turnSound}>
          {t(sound ? 'practice.soundOn' : 'practice.soundOff')}
        </button>
        {!silent && mode !== 'diagnosis' && (
          <button type="button" aria-pressed={led} className={`${quiet} max-md:hidden`} onClick={onLed}>
            {t(led ? 'practice.dismiss' : 'practice.call')}
          </button>
        )}
        <Popover.Root>
          <Popover.Trigger
            aria-label={t('practice.keysTitle')}
            className="min-h-touch min-w-touch text-lead text-soft"
          >
            ?
          </Popover.Trigger>
          <Popover.Portal>
            <Popover.Content collisionPadding={8} className="z-20 max-w-sm border-2 border-ink bg-sheet p-4">
              <ul className="grid gap-1.5 text-note">
                {KEYMAP.map((key) => (
                  <li key={key}>{t(`practice.keymap.${key}`)}</li>
                ))}
              </ul>
              <label className="mt-2 flex min-h-touch items-center gap-2 text-note">
                <input
                  type="checkbox"
                  checked={!letters}
                  onChange={turnLetters}
                  className="size-5 accent-ink"
                />
                {t('practice.keysOff')}
              </label>
              <div className="flex flex-wrap gap-2 sm:hidden">
                <Button onClick={turnSound}>{t(sound ? 'practice.soundOn' : 'practice.soundOff')}</Button>
                <Button onClick={onLed}>{t(led ? 'practice.dismiss' : 'practice.call')}</Button>
              </div>
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
        <PreferencesMenu />
        <Link
          to="/practice"
          className="inline-flex min-h-touch min-w-touch items-center justify-center border-[1.5px] border-ink px-2 text-note font-semibold sm:px-3"
        >
          {t('practice.exit')}
        </Link>
      </span>
    </header>
  )
}

/** Why a control did not move, for a moment. */
function useRefusal(practice: Practice): string {
  const { t } = useTranslation()
  const [why, setWhy] = useState('')
  const nothingTurns = useSense(practice, (frame) => frame.no_crank, false)
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined
    const ends = practice.onRefusal((_, code) => {
      setWhy(t(`practice.refused.${code as 'rolling'}`, { defaultValue: code }))
      clearTimeout(timer)
      timer = setTimeout(() => setWhy(''), 3000)
    })
    return () => {
      ends()
      clearTimeout(timer)
    }
  }, [practice, t])
  return nothingTurns ? t('practice.refused.no_crank') : why
}

/** Out of sight the vehicle stands still; back in sight it goes on. */
function useStandsStill(practice: Practice): void {
  useEffect(() => {
    const seen = () => practice.freeze(document.hidden)
    document.addEventListener('visibilitychange', seen)
    return () => document.removeEventListener('visibilitychange', seen)
  }, [practice])
}
