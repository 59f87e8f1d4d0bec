import { useState, type FormEvent } from 'react'
import { Button } from './Button'

interface LineFormProps {
  label: string
  button: string
  /** The line is emptied once it is kept; what could not be kept stays. */
  onSave: (text: string) => unknown
  className?: string
}

/** One line of text with its button, as for a note. */
export function LineForm({ label, button, onSave, className = '' }: LineFormProps) {
  const [text, setText] = useState('')
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (!text.trim()) return
    Promise.resolve(onSave(text.trim())).then(
      () => setText(''),
      () => undefined, // said by whoever was to keep it
    )
  }
  return (
    <form onSubmit={submit} className={`flex gap-2 ${className}`}>
      <input
        value={text}
        maxLength={500}
        aria-label={label}
        placeholder={label}
        onChange={(event) => setText(event.target.value)}
        className="min-h-touch min-w-0 grow border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
      />
      <Button type="submit" disabled={!text.trim()}>
        {button}
      </Button>
    </form>
  )
}
