/** Drives the practice vehicle in the worker: in real time, a step at a time, and never by a jump. */

import type { Core } from './core'

export type DriveAsk =
  | { drive: 'begin'; from: string; choice: string; kept: string; record: string }
  | { drive: 'control'; name: string; value: unknown }
  | { drive: 'trainer'; name: string; value: unknown; by: string }
  | { drive: 'rate'; rate: number }
  | { drive: 'freeze'; frozen: boolean }
  | { drive: 'truth'; wanted: boolean }
  | { drive: 'keep' }
  | { drive: 'stop' }

/** What a driver's senses get; nothing else leaves the worker before the end. */
export interface Frame {
  t_s: number
  tick: number
  needles: number[]
  lamp: boolean
  buzzer: boolean
  abs_power: boolean
  abs_trailer: boolean
  rpm: number
  mph: number
  oil_psi: number
  coolant_f: number
  volts: number
  parking: boolean
  trailer: boolean
  pitch_deg: number
  ground_in: number
  rolls: boolean
  wheel_deg: number
  key: 'off' | 'on' | 'start'
  /** The starter is held and nothing turns. */
  no_crank: boolean
  gear: string
  pedal: number
  clutch: number
  throttle: number
  idle_rpm: number
  window: 'up' | 'down'
  belt: 'on' | 'off'
  where: 'cab' | 'walking' | 'outside'
  chocks: { front: string; back: string }
  sounds: { name: string; place: string; level: number }[]
  first_state: number
  states: ({ at_s: number; type: string } & Record<string, unknown>)[]
  pops: { at_s: number; knob: string }[]
}

export type DriveMessage =
  | { drive: 'loading'; stage: 'interpreter' | 'vehicle' }
  | { drive: 'ready'; described: Record<string, unknown>; tookMs: number }
  /** `world` is the vehicle's time at `at`, this device's time since its epoch [ms]. */
  | { drive: 'frame'; frame: Frame; at: number; world: number; rate: number; behindS: number }
  | { drive: 'moved'; name: string; refused: string; from: number; log: [number, string, unknown][] }
  | { drive: 'done'; by: string; name: string; value: unknown; refused: string }
  | { drive: 'kept'; kept: string; tick: number }
  | { drive: 'truth'; truth: Record<string, unknown> }
  | { drive: 'stood'; seconds: number }
  | { drive: 'slow' }
  | { drive: 'failed'; why: string }

const TICK_MS = 14
const KEEP_EVERY_MS = 10_000
const TRUTH_EVERY_MS = 200
/** A longer gap is a device that slept: the vehicle stood still meanwhile. */
const SLEPT_S = 2
/** So far behind, for so long, a device is too slow. */
const TOO_SLOW_S = 2
/** No more of the vehicle's time at one go, so that a touch is heard between. */
const AT_ONCE_TICKS = 12

export class Driving {
  private core: Core | undefined
  private timer: ReturnType<typeof setInterval> | undefined
  private last = 0
  private target = 0
  private tick = 0
  private rate = 1
  private frozen = false
  private logged = 0
  private keptAt = 0
  private truthAt = 0
  private truthWanted = false

  constructor(private readonly load: (from: string) => Promise<Core>) {}

  hear(ask: DriveAsk): void {
    try {
      this.do(ask)
    } catch (error) {
      this.fail(error)
    }
  }

  private do(ask: DriveAsk): void {
    switch (ask.drive) {
      case 'begin':
        void this.begin(ask).catch((error: unknown) => this.fail(error))
        return
      case 'control':
        this.rate = 1
        this.move(ask.name, ask.value)
        return
      case 'trainer': {
        const { name, value, by } = ask
        const refused = this.refusalOf(() => this.core?.practice_trainer(name, JSON.stringify(value)) ?? '')
        tell({ drive: 'done', by, name, value, refused })
        this.tellLog(name, '')
        return
      }
      case 'rate':
        this.rate = ask.rate
        return
      case 'freeze':
        this.frozen = ask.frozen
        if (ask.frozen) this.keep()
        else this.last = performance.now()
        return
      case 'truth':
        this.truthWanted = ask.wanted
        return
      case 'keep':
        this.keep()
        return
      case 'stop':
        clearInterval(this.timer)
        this.timer = undefined
        return
    }
  }

  private async begin({ from, choice, kept, record }: DriveAsk & { drive: 'begin' }): Promise<void> {
    clearInterval(this.timer)
    const began = performance.now()
    tell({ drive: 'loading', stage: 'interpreter' })
    this.core = await this.load(from)
    tell({ drive: 'loading', stage: 'vehicle' })
    const described = JSON.parse(this.core.practice_begin(choice, kept, record)) as Record<string, unknown>
    const frame = JSON.parse(this.core.practice_frame(0)) as Frame
    this.tick = frame.tick
    this.target = frame.tick / 100
    this.logged = (JSON.parse(this.core.practice_log(0)) as unknown[]).length
    this.rate = 1
    this.frozen = false
    tell({ drive: 'ready', described, tookMs: performance.now() - began })
    this.last = performance.now()
    this.send(frame)
    this.keep()
    this.timer = setInterval(() => this.hearTime(), TICK_MS)
  }

  private hearTime(): void {
    const now = performance.now()
    const elapsed = (now - this.last) / 1000
    this.last = now
    if (this.frozen || !this.core) return
    if (elapsed > SLEPT_S) {
      tell({ drive: 'stood', seconds: elapsed })
      return
    }
    this.target += elapsed * this.rate
    try {
      const goal = Math.min(Math.floor(this.target * 100), this.tick + AT_ONCE_TICKS * this.rate)
      const frame = JSON.parse(this.core.practice_frame(goal)) as Frame
      this.tick = frame.tick
      if (this.rate > 1 && frame.sounds.some(({ name }) => name === 'blast')) {
        this.rate = 1
        this.target = frame.tick / 100
      }
      this.send(frame)
      if (this.rate > 1) this.target = Math.min(this.target, this.tick / 100 + 0.5)
      else if (this.target - this.tick / 100 > TOO_SLOW_S) {
        this.frozen = true
        this.keep()
        tell({ drive: 'slow' })
      }
      if (now - this.keptAt > KEEP_EVERY_MS) this.keep()
      if (this.truthWanted && now - this.truthAt > TRUTH_EVERY_MS) {
        this.truthAt = now
        tell({ drive: 'truth', truth: JSON.parse(this.core.practice_truth()) as Record<string, unknown> })
      }
    } catch (error) {
      this.fail(error)
    }
  }

  private move(name: string, value: unknown): void {
    // the vehicle is brought to now first: what is moved is moved at the moment of the touch
    if (!this.frozen) this.hearTime()
    const refused = this.refusalOf(() => this.core?.practice_control(name, JSON.stringify(value)) ?? '')
    this.tellLog(name, refused)
  }

  private tellLog(name: string, refused: string): void {
    if (!this.core) return
    const log = JSON.parse(this.core.practice_log(this.logged)) as [number, string, unknown][]
    tell({ drive: 'moved', name, refused, from: this.logged, log })
    this.logged += log.length
  }

  private refusalOf(work: () => string): string {
    try {
      return work()
    } catch (error) {
      return lastLine(error)
    }
  }

  private send(frame: Frame): void {
    const at = performance.timeOrigin + performance.now()
    const behindS = this.target - frame.tick / 100
    tell({ drive: 'frame', frame, at, world: this.target, rate: this.frozen ? 0 : this.rate, behindS })
  }

  private keep(): void {
    if (!this.core) return
    this.keptAt = performance.now()
    tell({ drive: 'kept', kept: JSON.parse(this.core.practice_save()) as string, tick: this.tick })
  }

  private fail(error: unknown): void {
    clearInterval(this.timer)
    this.timer = undefined
    tell({ drive: 'failed', why: lastLine(error) })
  }
}

const tell = (told: DriveMessage): void => self.postMessage(told)

/** What Python says in its last line, without what it calls its error. */
const lastLine = (error: unknown): string =>
  (error instanceof Error ? error.message : String(error))
    .trim()
    .split('\n')
    .at(-1)
    ?.replace(/^[\w.]+: /, '') ?? ''
