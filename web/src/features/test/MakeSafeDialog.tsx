import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { Button } from '../../shared/ui'

/** What to do first, why it stops here, and that it is done. */
export function MakeSafeDialog({ onClose, onDone }: { onClose: () => void; onDone: (why: string) => void }) {
  const { t } = useTranslation()
  const [why, setWhy] = useState('')
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
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
