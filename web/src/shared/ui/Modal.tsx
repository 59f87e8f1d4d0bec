import { Dialog } from 'radix-ui'
import type { ReactNode } from 'react'
import { useTranslation } from '../i18n/useTranslation'

interface ModalProps {
  title: string
  open: boolean
  onClose: () => void
  /** Something to look at rather than to answer: no field takes the focus, and a button closes it. */
  glance?: boolean
  children: ReactNode
}

/** A question or a form in front of the page. */
export function Modal({ title, open, onClose, glance = false, children }: ModalProps) {
  const { t } = useTranslation()
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/50" />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={(event) => {
            if (!glance) return
            event.preventDefault()
            if (event.currentTarget instanceof HTMLElement) event.currentTarget.focus()
          }}
          className="fixed top-1/2 left-1/2 z-40 grid max-h-[92dvh] w-[min(94vw,36rem)] -translate-x-1/2 -translate-y-1/2 gap-4 overflow-y-auto border-2 border-ink bg-sheet p-6 focus:outline-none"
        >
          <div className="flex items-start justify-between gap-4">
            <Dialog.Title className="text-title">{title}</Dialog.Title>
            {glance && (
              <Dialog.Close className="-mt-2 -mr-3 min-h-touch px-3 font-semibold whitespace-nowrap underline underline-offset-4">
                {t('app.close')}
              </Dialog.Close>
            )}
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
