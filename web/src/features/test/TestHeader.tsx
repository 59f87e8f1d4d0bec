import { Dialog, Popover } from 'radix-ui'
import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { PreferencesMenu } from '../../app'
import { useFigures } from '../../figures/useFigures'
import { markName, type LiveRun } from '../../live'
import { Button } from '../../ui'
import type { StageProps } from './Conductor'

/** Which unit, which rules, what has been saved, and the way out: make safe. */
export function TestHeader({
  recorder,
  live,
  onCover,
}: StageProps & { onCover: (covered: boolean) => void }) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const { run } = live
  return (
    <header className="flex min-h-13 flex-wrap items-center gap-x-5 border-b-2 border-ink px-4 sm:px-5">
      <b className="text-lead max-md:hidden" style={{ fontStretch: '118%' }}>
        Low Hiss
      </b>
      <span>
        <b>{run.unitName}</b> <span className="text-soft max-sm:hidden">{t(`kind.${run.kind}`)}</span>
      </span>
      <span className="text-note text-soft max-lg:hidden">
        {t('test.rules')} <b className="font-semibold text-ink">{run.script.rules.title[language]}</b>
      </span>
      <span className="ml-auto flex items-center gap-4">
        <Saved live={live} />
        <Keys />
        <PreferencesMenu />
        <MakeSafe
          onCover={onCover}
          onDone={() =>
            void recorder.strike(run.id, [{ type: 'made_safe' }, { type: 'abandoned', why: 'made safe' }])
          }
        />
      </span>
    </header>
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
  return (
    <Popover.Root>
      <Popover.Trigger
        aria-label={t('test.keys')}
        className="min-h-touch px-1 text-note text-soft max-md:hidden"
      >
        ?
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content collisionPadding={8} className="z-20 border-2 border-ink bg-sheet p-4">
          <ul className="grid gap-1.5">
            {(['space', 'tab', 'arrows', 'digits', 'enter'] as const).map((key) => (
              <li key={key}>{t(`test.keysList.${key}`)}</li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

function MakeSafe({ onCover, onDone }: { onCover: (covered: boolean) => void; onDone: () => void }) {
  const { t } = useTranslation()
  const [open, setOpen] = useState(false)
  const change = (next: boolean) => {
    setOpen(next)
    onCover(next)
  }
  return (
    <Dialog.Root open={open} onOpenChange={change}>
      <Dialog.Trigger className="min-h-touch border-[1.5px] border-clay px-3 font-semibold text-clay">
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
          <Dialog.Description className="mt-3 mb-6 text-lead">{t('test.makeSafeBody')}</Dialog.Description>
          <div className="flex flex-wrap gap-3">
            <Button tone="clay" onClick={onDone}>
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
