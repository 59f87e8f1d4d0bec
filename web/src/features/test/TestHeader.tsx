import { useQuery } from '@tanstack/react-query'
import { Dialog, Popover } from 'radix-ui'
import { useEffect, useState } from 'react'
import { useTranslation } from 'react-i18next'
import { aboutQuery } from '../../shared/api'
import { PreferencesMenu } from '../../app/PreferencesMenu'
import { useFigures } from '../../shared/figures/useFigures'
import { markName, unlockSound, useSound } from '../../run'
import { type LiveRun, leads } from '../../device'
import { useMay } from '../../shared/session'
import { Button } from '../../shared/ui'
import type { Awake } from './useTimer'

interface TestHeaderProps {
  live: LiveRun
  awake: Awake
  place: { now: number; all: number }
  onCourse: () => void
  onMarks: () => void
  onCover: (covered: boolean) => void
  onMadeSafe: (why: string) => void
  onLead: () => void
}

/** Which unit, where on the course, what has been saved, what is lost, and the way out: make safe. */
export function TestHeader(props: TestHeaderProps) {
  const { live, awake, place, onCourse, onMarks, onCover, onMadeSafe, onLead } = props
  const { t } = useTranslation()
  const { language } = useFigures()
  const { run } = live
  return (
    <header className="flex min-h-14 items-center gap-x-1.5 border-b-2 border-ink px-2 sm:gap-x-4 sm:px-5">
      <b className="text-lead max-lg:hidden" style={{ fontStretch: '118%' }}>
        Low Hiss
      </b>
      <span className="whitespace-nowrap">
        <b>{run.unitName}</b> <span className="text-soft max-lg:hidden">{t(`kind.${run.kind}`)}</span>
      </span>
      <button
        type="button"
        onClick={onCourse}
        aria-label={`${t('test.course')}: ${t('test.place', place)}`}
        className="min-h-touch min-w-touch px-1 whitespace-nowrap underline decoration-line underline-offset-4"
      >
        {t('test.place', place)}
      </button>
      <span className="text-note text-soft max-xl:hidden">
        {t('test.rules')} <b className="font-semibold text-ink">{run.script.rules.title[language]}</b>
      </span>
      <DemoSign />
      <span className="ml-auto flex items-center gap-x-1.5 sm:gap-x-4">
        <Signs awake={awake} />
        <Saved live={live} />
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
        <Keys />
        <PreferencesMenu />
        {!leads(run) ? (
          <Watching driver={run.driver} onLead={onLead} />
        ) : (
          <MakeSafe onCover={onCover} onDone={onMadeSafe} />
        )}
      </span>
    </header>
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
  if (aside.length > 0) {
    return (
      <Popover.Root>
        <Popover.Trigger className="min-h-touch text-note font-semibold text-clay underline">
          {t('test.aside', { count: aside.length })}
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content collisionPadding={8} className="z-20 max-w-sm border-2 border-ink bg-sheet p-4">
            <b>{t('test.asideTitle')}</b>
            <ul className="mt-2 grid gap-2 text-note">
              {aside.map(({ event, why }) => (
                <li key={event.id}>
                  <b>{t(`test.mark.${markName(event)}`)}</b>: {why}
                </li>
              ))}
            </ul>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    )
  }
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

function Keys() {
  const { t } = useTranslation()
  const [open, setOpen] = useState(false)
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLElement && event.target.matches('input, textarea, select')
      if (event.key === '?' && !typing) setOpen((now) => !now)
    }
    window.addEventListener('keydown', down)
    return () => window.removeEventListener('keydown', down)
  }, [])
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        aria-label={t('test.keys')}
        className="min-h-touch min-w-touch text-lead text-soft max-md:hidden"
      >
        ?
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content collisionPadding={8} className="z-20 border-2 border-ink bg-sheet p-4">
          <ul className="grid gap-1.5">
            {(['space', 'tab', 'arrows', 'digits', 'enter', 'question'] as const).map((key) => (
              <li key={key}>{t(`test.keysList.${key}`)}</li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** Instead of the way out, which is the driver's: whose test is watched, and how to lead on when that device has died. */
function Watching({ driver, onLead }: { driver: string; onLead: () => void }) {
  const { t } = useTranslation()
  const trains = useMay('listPeople')
  const word = <b className="whitespace-nowrap">{t('test.second.watching')}</b>
  if (!trains) return <span className="px-2">{word}</span>
  return (
    <Popover.Root>
      <Popover.Trigger className="min-h-touch border-[1.5px] border-ink px-2 sm:px-3">{word}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          collisionPadding={8}
          className="z-20 grid max-w-sm gap-3 border-2 border-ink bg-sheet p-4"
        >
          <p>{t('test.second.leadBody', { driver: driver || t('test.second.driver') })}</p>
          <Button onClick={onLead}>{t('test.second.lead')}</Button>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

function MakeSafe({
  onCover,
  onDone,
}: {
  onCover: (covered: boolean) => void
  onDone: (why: string) => void
}) {
  const { t } = useTranslation()
  const [open, setOpen] = useState(false)
  const [why, setWhy] = useState('')
  const change = (next: boolean) => {
    setOpen(next)
    onCover(next)
  }
  return (
    <Dialog.Root open={open} onOpenChange={change}>
      <Dialog.Trigger className="min-h-touch border-[1.5px] border-clay px-2 font-semibold whitespace-nowrap text-clay sm:px-3">
        {t('test.makeSafe')}
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/50" />
        <Dialog.Content
          // no button has the focus at first: a thumb that still hits the space bar must not end the test
          onOpenAutoFocus={(event) => {
            event.preventDefault()
            if (event.target instanceof HTMLElement) event.target.focus()
          }}
          className="fixed top-1/2 left-1/2 z-40 w-[min(92vw,32rem)] -translate-x-1/2 -translate-y-1/2 border-2 border-ink bg-sheet p-6"
        >
          <Dialog.Title className="text-title text-clay">{t('test.makeSafeTitle')}</Dialog.Title>
          <Dialog.Description className="mt-3 mb-4 text-lead">{t('test.makeSafeBody')}</Dialog.Description>
          <label className="mb-6 grid gap-1">
            <span className="text-note text-soft">{t('test.makeSafeWhy')}</span>
            <input
              value={why}
              maxLength={200}
              onChange={(event) => setWhy(event.target.value)}
              className="min-h-touch border-[1.5px] border-ink bg-sheet px-3"
            />
          </label>
          <div className="flex flex-wrap gap-3">
            <Button tone="clay" onClick={() => onDone(why.trim())}>
              {t('test.makeSafeDone')}
            </Button>
            <Dialog.Close asChild>
              <Button>{t('test.makeSafeBack')}</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
