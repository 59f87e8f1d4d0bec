import { useTranslation } from '../../shared/i18n/useTranslation'
import { parseNumber } from '../../shared/figures/numbers'
import { useState, type FormEvent } from 'react'
import type { Body } from '../../device'
import { Button, Modal } from '../../shared/ui'
import type { Call } from './call'

/** Another number than the right one was said: which. */
export function WrongNumber({
  call,
  onClose,
  onSay,
}: {
  call: Call
  onClose: () => void
  onSay: (body: Body) => void
}) {
  const { t } = useTranslation()
  const [text, setText] = useState('')
  const value = parseNumber(text) ?? NaN
  const good = text.trim() !== '' && Number.isFinite(value) && Math.abs(value) <= 1000
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (good) onSay({ type: 'said', what: call.what, value })
  }
  return (
    <Modal title={t('test.say.wrongTitle')} open onClose={onClose}>
      <form onSubmit={submit} className="grid gap-4">
        <label className="grid gap-1">
          {t('test.say.number')}
          <input
            autoFocus
            inputMode="decimal"
            value={text}
            onChange={(event) => setText(event.target.value)}
            className="num min-h-touch w-32 border-[1.5px] border-ink bg-sheet px-3 text-lead"
          />
        </label>
        <Button type="submit" tone="air" disabled={!good} className="justify-self-start">
          {t('test.say.wrong')}
        </Button>
      </form>
    </Modal>
  )
}
