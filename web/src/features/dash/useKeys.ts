import { useEffect, useEffectEvent } from 'react'
import type { Described, Practice } from '../../device'

const CREEP = 0.02
const HALF = 0.5
const LIGHT = 0.3

/** Keys that belong to a text, a tape that is open, or a dialog in front of the dash. */
const isElsewhere = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.matches('input, textarea, select, [contenteditable]') || target.closest('[role=dialog]') !== null)
const onTape = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && target.closest('[role=slider]') !== null

/** Every control of the dash by key. `letters` false leaves only those that are no single letter. */
export function useKeys(practice: Practice, described: Described, letters: boolean): void {
  useEffect(() => {
    const keyboard = new Keyboard(practice, described.gears, letters)
    const down = (event: KeyboardEvent) => keyboard.down(event)
    const up = (event: KeyboardEvent) => keyboard.up(event)
    window.addEventListener('keydown', down)
    window.addEventListener('keyup', up)
    return () => {
      window.removeEventListener('keydown', down)
      window.removeEventListener('keyup', up)
    }
  }, [practice, described, letters])
}

const GATE_MS = 2000
/** Keys that mean something once, however long they are held. */
const ONCE = 'KLWCJHYTGRNDOBX'

class Keyboard {
  /** When the gate was opened by its key: then a digit is a gear. */
  private gateAt = -Infinity

  constructor(
    private readonly practice: Practice,
    private readonly gears: string[],
    private readonly letters: boolean,
  ) {}

  down(event: KeyboardEvent): void {
    if (isElsewhere(event.target) || event.ctrlKey || event.metaKey || event.altKey) return
    if (this.press(event)) event.preventDefault()
  }

  up({ code, target }: KeyboardEvent): void {
    if (isElsewhere(target)) return
    const { control, frame } = this.practice
    if (code === 'ArrowDown' ? !onTape(target) : this.letters && (code === 'KeyJ' || code === 'KeyH'))
      control('pedal', 0)
    if (!this.letters) return
    if (code === 'KeyL' && frame?.key === 'start') control('key', 'on')
    if (code === 'KeyW') control('throttle', 0)
    if (code === 'KeyC') control('clutch', 0)
  }

  private press(event: KeyboardEvent): boolean {
    const { control, frame } = this.practice
    const { code, repeat, shiftKey } = event
    if (!frame) return false
    if (code === 'ArrowDown' && !onTape(event.target)) {
      if (!repeat) control('pedal', 1)
      return true
    }
    if (!this.letters) return false
    const digit = /^Digit([0-9])$/.exec(code)?.[1]
    if (digit) return !onTape(event.target) && this.digit(Number(digit))
    if (event.key === '[' || event.key === ']') {
      const clutch = frame.clutch + (event.key === '[' ? -CREEP : CREEP)
      control('clutch', Number(Math.min(1, Math.max(0, clutch)).toFixed(2)))
      return true
    }
    if (repeat) return code.startsWith('Key') && ONCE.includes(code.slice(3))
    const moves: Record<string, [string, unknown]> = {
      KeyK: ['key', shiftKey ? 'off' : 'on'],
      KeyL: ['key', 'start'],
      KeyW: ['throttle', 1],
      KeyC: ['clutch', 1],
      KeyJ: ['pedal', LIGHT],
      KeyH: ['pedal', HALF],
      KeyY: ['parking', shiftKey ? 'out' : 'in'],
      KeyT: ['trailer', shiftKey ? 'out' : 'in'],
      KeyO: ['window', frame.window === 'down' ? 'up' : 'down'],
      KeyB: ['belt', frame.belt === 'on' ? 'off' : 'on'],
      Comma: ['mirror', 'left'],
      Period: ['mirror', 'right'],
      KeyX: ['where', frame.where === 'cab' ? 'outside' : 'cab'],
      Equal: ['idle', 1],
      NumpadAdd: ['idle', 1],
      Minus: ['idle', -1],
      NumpadSubtract: ['idle', -1],
    }
    const move = moves[code]
    if (move) control(...move)
    const gear = code.slice(3)
    if (code === 'KeyG') this.gateAt = performance.now()
    else if (['R', 'N', 'D'].includes(gear) && this.gears.includes(gear)) control('gear', gear)
    else return move !== undefined
    return true
  }

  /** After G a digit is a gear; outside it is where the chocks go. */
  private digit(digit: number): boolean {
    const { control, frame } = this.practice
    if (performance.now() - this.gateAt < GATE_MS) {
      this.gateAt = -Infinity
      const gear = ['N', 'L', '2', '3'][digit] ?? 'R'
      if (this.gears.includes(gear)) control('gear', gear)
      return true
    }
    const at = ['under', 'ground', 'stowed'][digit - 1]
    if (frame?.where !== 'outside' || !at) return false
    control('chock_front', at)
    control('chock_back', at)
    return true
  }
}

const PAD_STEP = 0.02

/** A gamepad or pedal set: its trigger or axis is the pedal, calibrated by how far it was ever pressed. */
export function useGamepad(practice: Practice): void {
  const poll = useEffectEvent((seen: { most: number; was: number; marked: boolean; here: boolean }) => {
    const pad = navigator.getGamepads?.().find((one) => one?.connected)
    if (!pad) {
      if (seen.here) practice.freeze(true)
      seen.here = false
      return
    }
    seen.here = true
    const raw = Math.max(pad.buttons[7]?.value ?? 0, pad.buttons[6]?.value ?? 0)
    seen.most = Math.max(seen.most, raw)
    const depth = seen.most > 0.3 ? Math.min(1, raw / seen.most) : 0
    if (Math.abs(depth - seen.was) >= PAD_STEP || (depth === 0 && seen.was > 0)) {
      seen.was = depth
      practice.control('pedal', Number(depth.toFixed(2)))
    }
    const pressed = pad.buttons[0]?.pressed ?? false
    if (pressed && !seen.marked) document.querySelector<HTMLElement>('[data-bar]')?.click()
    seen.marked = pressed
  })
  useEffect(() => {
    const seen = { most: 0, was: 0, marked: false, here: false }
    let request = 0
    const next = () => {
      poll(seen)
      request = requestAnimationFrame(next)
    }
    next()
    return () => cancelAnimationFrame(request)
  }, [practice])
}
