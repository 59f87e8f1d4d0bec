import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { Button, FormError, Modal } from '../../shared/ui'

interface ReasonDialogProps {
  title: string
  /** What is done with it. */
  button: string
  label: string
  tone?: 'air' | 'clay'
  onClose: () => void
  /** Closes once it is kept on this device. */
  onSave: (reason: string) => Promise<void>
}

/** Something that is done with a reason, which stays with it. */
export function ReasonDialog({ title, button, label, tone = 'air', onClose, onSave }: ReasonDialogProps) {
  const { t } = useTranslation()
  const [reason, setReason] = useState('')
  const [error, setError] = useState<Error | null>(null)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (reason.trim()) onSave(reason.trim()).then(onClose, setError)
  }
  return (
    <Modal title={title} open onClose={onClose}>
      <form onSubmit={submit} className="grid gap-4">
        <label className="grid gap-1">
          {label}
          <textarea
            autoFocus
            value={reason}
            maxLength={500}
            rows={3}
            onChange={(event) => setReason(event.target.value)}
            className="border-[1.5px] border-ink bg-sheet px-3 py-2"
          />
        </label>
        <FormError error={error} />
        <div className="flex gap-3">
          <Button type="submit" tone={tone} disabled={!reason.trim()}>
            {button}
          </Button>
          <Button onClick={onClose}>{t('app.cancel')}</Button>
        </div>
      </form>
    </Modal>
  )
}
