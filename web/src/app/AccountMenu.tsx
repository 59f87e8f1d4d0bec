import { useMutation } from '@tanstack/react-query'
import { Popover } from 'radix-ui'
import { useState } from 'react'
import { useTranslation } from '../shared/i18n/useTranslation'
import { api, need } from '../shared/api'
import { useSession } from '../shared/session'
import { Button, FormError, TextField } from '../shared/ui'

/** Who is signed in, and the ways out; a PIN for a shared cab. */
export function AccountMenu() {
  const { t } = useTranslation()
  const { me, signOut } = useSession()
  const [pin, setPin] = useState('')
  const savePin = useMutation({
    mutationFn: () => need(api.PUT('/api/session/pin', { body: { pin } })),
    onSuccess: () => setPin(''),
  })
  if (!me.person) return null
  return (
    <Popover.Root>
      <Popover.Trigger className="min-h-touch min-w-touch px-1 text-note font-semibold text-ink hover:text-air">
        <span aria-hidden className="sm:hidden">
          {initials(me.person.name)}
        </span>
        <span className="max-sm:sr-only">
          {me.person.name}
          <span className="block text-left font-normal text-soft">{t(`role.${me.person.role}`)}</span>
        </span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          className="z-20 grid w-72 gap-3 border-2 border-ink bg-sheet p-4 text-ink"
        >
          <Button onClick={() => void signOut()}>{t('account.signOut')}</Button>
          <Button onClick={() => void signOut(true)}>{t('account.everywhere')}</Button>
          <form
            className="grid gap-2 border-t border-line pt-3"
            onSubmit={(event) => {
              event.preventDefault()
              savePin.mutate()
            }}
          >
            <TextField
              label={t('account.pin')}
              hint={t('account.pinHint')}
              type="password"
              inputMode="numeric"
              value={pin}
              onChange={(event) => setPin(event.target.value)}
              autoComplete="off"
              required
            />
            <FormError error={savePin.error} />
            {savePin.isSuccess && <p role="status">{t('account.pinSet')}</p>}
            <Button type="submit">{t('account.setPin')}</Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

const initials = (name: string): string =>
  name
    .split(/\s+/)
    .map((part) => [...part][0] ?? '')
    .filter((_, place, all) => place === 0 || place === all.length - 1)
    .join('')
    .toUpperCase()
