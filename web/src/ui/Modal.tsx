import { Dialog } from 'radix-ui'
import type { ReactNode } from 'react'

interface ModalProps {
  title: string
  open: boolean
  onClose: () => void
  children: ReactNode
}

/** A question or a form in front of the page. */
export function Modal({ title, open, onClose, children }: ModalProps) {
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/50" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-40 grid max-h-[92dvh] w-[min(94vw,36rem)] -translate-x-1/2 -translate-y-1/2 gap-4 overflow-y-auto border-2 border-ink bg-sheet p-6"
        >
          <Dialog.Title className="text-title">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
