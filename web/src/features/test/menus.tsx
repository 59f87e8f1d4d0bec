/** What opens from the head of the test screen; loaded right after it. */

import { Popover } from 'radix-ui'
import { useEffect, useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { DeviceEvent } from '../../device'
import { markName } from '../../run'
import { useMay } from '../../shared/session'
import { Button } from '../../shared/ui'

export { PreferencesMenu } from '../../shared/preferences/PreferencesMenu'

/** Marks that the server did not take, each with its reason. */
export function AsideMarks({ aside }: { aside: DeviceEvent[] }) {
  const { t } = useTranslation()
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

export function Keys() {
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
export function Watching({ driver, onLead }: { driver: string; onLead: () => void }) {
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
