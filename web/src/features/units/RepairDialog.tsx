import { useTranslation } from '../../shared/i18n/useTranslation'
import { parseNumber } from '../../shared/figures/numbers'
import { useState, type FormEvent } from 'react'
import type { Schema } from '../../shared/api'
import { useSession } from '../../shared/session'
import { useActs, type PartRef } from '../../run'
import { Button, FormError, Modal, TextField } from '../../shared/ui'

interface RepairDialogProps {
  part: PartRef
  holds: Schema['HoldOut'][]
  /** What else is open on the same part; each may be answered by the same repair. */
  defects: Schema['DefectOut'][]
  chosen?: string[]
  onClose: () => void
}

/** What was done, by whom, and what it answers: certified under one's own name. */
export function RepairDialog({ part, holds, defects, chosen = [], onClose }: RepairDialogProps) {
  const { t } = useTranslation()
  const { me } = useSession()
  const act = useActs()
  const [did, setDid] = useState('')
  const [parts, setParts] = useState('')
  const [odometer, setOdometer] = useState('')
  const [answers, setAnswers] = useState(new Set([...holds.map(({ id }) => id), ...chosen]))
  const [error, setError] = useState<Error | null>(null)
  const all = [
    ...holds,
    ...defects.filter(({ part_id, certified_at }) => part_id === part.id && !certified_at),
  ]
  const figure = parseNumber(odometer) ?? NaN
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (odometer.trim() && !Number.isFinite(figure)) {
      setError(new Error(t('acts.badOdometer')))
      return
    }
    const body = {
      did: did.trim(),
      ...(parts.trim() && { parts: parts.trim() }),
      ...(odometer.trim() && { odometer: figure }),
      holds: holds.map(({ id }) => id).filter((id) => answers.has(id)),
      defects: defects.map(({ id }) => id).filter((id) => answers.has(id)),
    }
    act('repaired', part, body).then(onClose, setError)
  }
  const toggle = (id: string) => {
    const next = new Set(answers)
    if (!next.delete(id)) next.add(id)
    setAnswers(next)
  }
  return (
    <Modal title={t('acts.repairedTitle', { unit: part.name })} open onClose={onClose}>
      <form onSubmit={submit} className="grid gap-4">
        <TextField
          autoFocus
          label={t('acts.did')}
          value={did}
          maxLength={500}
          onChange={(event) => setDid(event.target.value)}
        />
        <div className="grid gap-4 sm:grid-cols-2">
          <TextField
            label={t('acts.parts')}
            value={parts}
            maxLength={500}
            onChange={(event) => setParts(event.target.value)}
          />
          <TextField
            label={t('acts.odometer')}
            value={odometer}
            inputMode="decimal"
            maxLength={12}
            onChange={(event) => setOdometer(event.target.value)}
          />
        </div>
        <fieldset>
          <legend className="text-note text-soft">{t('acts.answers')}</legend>
          {all.map(({ id, text }) => (
            <label key={id} className="flex min-h-touch items-center gap-3 border-b border-hair">
              <input
                type="checkbox"
                checked={answers.has(id)}
                onChange={() => toggle(id)}
                className="size-6 shrink-0 accent-air"
              />
              {text}
            </label>
          ))}
        </fieldset>
        <p className="text-note text-soft">{t('acts.certifyAs', { name: me.person?.name ?? '' })}</p>
        <FormError error={error} />
        <div className="flex gap-3">
          <Button type="submit" tone="air" disabled={!did.trim() || answers.size === 0}>
            {t('acts.certify')}
          </Button>
          <Button onClick={onClose}>{t('app.cancel')}</Button>
        </div>
      </form>
    </Modal>
  )
}
