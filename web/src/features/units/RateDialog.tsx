import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { CONSEQUENCES, type Consequence } from '../../shared/trade'
import { useActs, type PartRef } from '../../run'
import { Button, Choice, FormError, Modal, TextField } from '../../shared/ui'

interface RateDialogProps {
  defect: Schema['DefectOut']
  part: PartRef
  /** Whether whoever is here may call it milder. */
  mayLower: boolean
  onClose: () => void
}

/** Somebody who has looked says what a defect means; what was said before stays beside it. */
export function RateDialog({ defect, part, mayLower, onClose }: RateDialogProps) {
  const { t } = useTranslation()
  const act = useActs()
  const now = defect.consequence ?? 'note'
  const [consequence, setConsequence] = useState<Consequence>(now)
  const [reason, setReason] = useState('')
  const [error, setError] = useState<Error | null>(null)
  const open = CONSEQUENCES.filter(
    (one) => mayLower || CONSEQUENCES.indexOf(one) <= CONSEQUENCES.indexOf(now),
  )
  const submit = (event: FormEvent) => {
    event.preventDefault()
    act('defect_rated', part, { defect: defect.id, consequence, reason: reason.trim() }).then(
      onClose,
      setError,
    )
  }
  return (
    <Modal title={defect.text} open onClose={onClose}>
      <form onSubmit={submit} className="grid gap-4">
        <Choice
          label={t('acts.follows')}
          value={consequence}
          options={open.map((value) => ({ value, text: t(`acts.consequence.${value}`) }))}
          onChange={setConsequence}
        />
        <TextField
          label={t('acts.rateWhy')}
          value={reason}
          maxLength={500}
          onChange={(event) => setReason(event.target.value)}
        />
        <FormError error={error} />
        <Button
          type="submit"
          tone="air"
          disabled={!reason.trim() || consequence === now}
          className="justify-self-start"
        >
          {t('acts.rate')}
        </Button>
      </form>
    </Modal>
  )
}
