import { useEffect, useEffectEvent, useRef, useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { momentOf, type ClockReading } from '../../device'

const HOLD_MS = 1000

interface MarkBarProps {
  word: string
  under: string
  /** What it asks for, by a stable name. */
  asks: string
  /** Needs a press of a second, because a stray tap would spoil the minute. */
  held?: boolean
  disabled?: boolean
  hint?: string
  narrow?: boolean
  onMark: (at: ClockReading) => void
}

/** The one large area that always means "now". Thumb or space bar; the moment is stamped before anything else. */
export function MarkBar({
  word,
  under,
  asks,
  held = false,
  disabled = false,
  hint,
  narrow = false,
  onMark,
}: MarkBarProps) {
  const { t } = useTranslation()
  const [pressing, setPressing] = useState(false)
  const pressed = useRef<{ at: ClockReading; timer?: ReturnType<typeof setTimeout> } | null>(null)

  const release = () => {
    clearTimeout(pressed.current?.timer)
    pressed.current = null
    setPressing(false)
  }
  const press = (event: { timeStamp: number }) => {
    if (disabled || pressed.current) return
    const at = momentOf(event)
    if (!held) {
      onMark(at)
      return
    }
    setPressing(true)
    // the pedal came up when the press began, not when the second was over
    const timer = setTimeout(() => {
      release()
      onMark(at)
    }, HOLD_MS)
    pressed.current = { at, timer }
  }
  const pressByKey = useEffectEvent(press)
  const releaseByKey = useEffectEvent(release)

  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (event.code !== 'Space' || isElsewhere(event.target)) return
      event.preventDefault()
      if (!event.repeat) pressByKey(event)
    }
    const up = (event: KeyboardEvent) => {
      if (event.code !== 'Space' || isElsewhere(event.target)) return
      event.preventDefault()
      releaseByKey()
    }
    window.addEventListener('keydown', down)
    window.addEventListener('keyup', up)
    return () => {
      window.removeEventListener('keydown', down)
      window.removeEventListener('keyup', up)
    }
  }, [])
  // a press that began under another meaning of the bar must not end under this one
  useEffect(() => () => releaseByKey(), [word])

  return (
    <button
      type="button"
      data-bar={asks}
      disabled={disabled}
      onPointerDown={(event) => event.button === 0 && press(event)}
      onPointerUp={release}
      onPointerLeave={release}
      onPointerCancel={release}
      onContextMenu={(event) => event.preventDefault()}
      onClick={(event) => {
        // a screen reader's click has no pointer before it
        if (event.detail === 0 && !held) press(event)
      }}
      className={`relative flex w-full shrink-0 touch-manipulation items-center gap-6 overflow-hidden px-4 text-left select-none ${narrow ? 'min-h-28 py-3' : 'py-5 sm:px-9'} ${
        disabled ? 'bg-hair text-ink' : 'bg-air text-on-air'
      }`}
    >
      {held && (
        <span
          aria-hidden
          className={`absolute inset-y-0 left-0 bg-ink ${pressing ? 'w-full transition-[width] duration-1000 ease-linear' : 'w-0'}`}
        />
      )}
      <span className="relative">
        <span
          className={`block leading-none font-bold ${narrow ? 'text-title' : 'text-bar'}`}
          style={{ fontStretch: '94%' }}
        >
          {word}
        </span>
        <span className="mt-2 block text-body leading-snug">{under}</span>
      </span>
      {!disabled && (
        <kbd className="relative ml-auto border-[1.5px] border-current px-3.5 py-1.5 font-sans text-note font-semibold max-md:hidden">
          {hint ?? t('test.keysList.space').split(':')[0]}
        </kbd>
      )}
    </button>
  )
}

/** Keys that belong to a text field, or to a dialog in front of the screen. */
const isElsewhere = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.matches('input, textarea, select, [contenteditable]') || target.closest('[role=dialog]') !== null)
