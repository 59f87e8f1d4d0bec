import { useQuery } from '@tanstack/react-query'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { askCore, type Practice } from '../../device'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, SelectField } from '../../shared/ui'

interface Part {
  part: string
  title: string
  options: { id: string; title: string }[]
}

/** The sheet of a diagnosis: what is wrong, where, and whether it may move. Handed in, the practice is over. */
export function DiagnosisDialog({ practice, onClose }: { practice: Practice; onClose: () => void }) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const navigate = useNavigate()
  const [answers, setAnswers] = useState<Record<string, string>>({})
  const parts = useQuery({
    queryKey: ['lessons', language],
    networkMode: 'always',
    staleTime: Infinity,
    queryFn: () => askCore('practice_lessons', [language, '[]']) as Promise<{ sheet: Part[] }>,
  }).data?.sheet
  const asked = parts ?? []
  const complete = asked.length > 0 && asked.every(({ part }) => answers[part])
  const handIn = async () => {
    await practice.mark(practice.local.id, [{ type: 'claim', what: 'sheet', ...answers }])
    await practice.mark(practice.local.id, [{ type: 'finished' }])
    void navigate(`/practice/${practice.local.id}/after`)
  }
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-10 bg-ink/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed inset-x-4 top-1/2 z-20 mx-auto max-h-[90dvh] max-w-lg -translate-y-1/2 overflow-y-auto border-2 border-ink bg-sheet p-5"
        >
          <Dialog.Title className="text-title">{t('learn.sheetTitle')}</Dialog.Title>
          <p className="mt-1 text-soft">{t('learn.sheetHint')}</p>
          <div className="mt-3 grid gap-3">
            {asked.map(({ part, title, options }) => (
              <SelectField
                key={part}
                label={title}
                value={answers[part] ?? ''}
                onChange={(event) => setAnswers({ ...answers, [part]: event.target.value })}
                options={[
                  { value: '', text: t('learn.choose') },
                  ...options.map(({ id, title: text }) => ({ value: id, text })),
                ]}
              />
            ))}
          </div>
          <div className="mt-4 flex gap-3">
            <Button tone="air" disabled={!complete} onClick={() => void handIn()}>
              {t('learn.handIn')}
            </Button>
            <Dialog.Close asChild>
              <Button>{t('app.cancel')}</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
