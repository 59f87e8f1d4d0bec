import { useEffect, useState } from 'react'
import { Popover } from 'radix-ui'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { keepTalking, type Practice } from '../../device'
import { Button } from '../../shared/ui'

const SEND_EVERY_MS = 200

/** Lets a trainer in by a code, and sends on what the trainer's screen may see. */
export function TrainerLine({ practice }: { practice: Practice }) {
  const { t } = useTranslation()
  const [code, setCode] = useState('')
  const [error, setError] = useState('')
  const [trainers, setTrainers] = useState(0)
  useEffect(() => (code ? connect(practice, setTrainers) : undefined), [practice, code])
  const ask = () =>
    practice.code().then(
      (given) => setCode(given.code),
      (failed: unknown) => setError(failed instanceof Error ? failed.message : String(failed)),
    )
  return (
    <Popover.Root>
      <Popover.Trigger className="min-h-touch px-1.5 text-note underline underline-offset-4 max-md:hidden">
        {t(trainers ? 'practice.trainers' : 'practice.trainer')}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          collisionPadding={8}
          className="z-20 grid max-w-xs gap-3 border-2 border-ink bg-sheet p-4"
        >
          {code ? (
            <p className="num text-title" data-code>
              {t('practice.trainerCode', { code })}
            </p>
          ) : (
            <Button onClick={() => void ask()}>{t('practice.trainer')}</Button>
          )}
          {error && (
            <p role="alert" className="font-semibold text-clay">
              {error}
            </p>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** The driver's end of the line: five pictures a second, and whatever a trainer asks for. */
function connect(practice: Practice, onTrainers: (count: number) => void): () => void {
  const line = keepTalking(`/api/practices/${practice.local.id}/live`, (data) => {
    const said = data as { trainers?: number; do?: { name: string; value: unknown }; by?: string }
    if (said.trainers !== undefined) {
      onTrainers(said.trainers)
      practice.wantTruth(said.trainers > 0)
    }
    if (said.do) practice.fromTrainer(said.do.name, said.do.value, said.by ?? '')
  })
  let truth: unknown
  practice.truth = (told) => (truth = told)
  practice.done = (what) => line.say({ done: what })
  const timer = setInterval(() => {
    const { frame } = practice
    if (!frame || !truth) return
    line.say({ frame: { ...frame, states: [], pops: [] }, truth })
  }, SEND_EVERY_MS)
  return () => {
    clearInterval(timer)
    practice.truth = practice.done = null
    practice.wantTruth(false)
    line.end()
  }
}
