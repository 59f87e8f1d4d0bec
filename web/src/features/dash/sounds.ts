/** The cab's sounds, made here: nothing is loaded, and each has its counterpart on the screen. */

import type { Frame } from '../../device'

type Sound = Frame['sounds'][number]

/** Where a place is heard from, left to right. */
const PAN: Record<string, number> = {
  supply: -0.3,
  springs: 0.3,
  service_rear: 0.4,
  coupling: -0.2,
  trailer_service: 0.6,
  trailer_springs: 0.6,
}
const LEAST_DB = -48
/** One step of the scale is 3.3 dB of flow. */
const DB_PER_LEVEL = 3.3
const LOUDEST = 10
const gainOf = (level: number): number => 10 ** ((LEAST_DB + level * DB_PER_LEVEL + 8) / 20)

interface Voice {
  gain: GainNode
  tune?: (frame: Pick<Frame, 'rpm'>) => void
}

/** A cab's worth of voices on an audio context; `play` sets them to what a frame says is heard. */
export class CabSounds {
  private readonly voices = new Map<string, Voice>()
  private readonly noise: AudioBuffer
  private readonly master: GainNode
  private wasKnobs = ''

  constructor(
    private readonly context: BaseAudioContext,
    /** Knobs that pop without a clack: a finger feels them, or an eye sees them. */
    private readonly softPop = false,
  ) {
    this.master = new GainNode(context, { gain: 1 })
    this.master.connect(context.destination)
    this.noise = context.createBuffer(1, context.sampleRate * 2, context.sampleRate)
    const samples = this.noise.getChannelData(0)
    for (let n = 0, seed = 1; n < samples.length; n += 1) {
      seed = (seed * 16807) % 2147483647
      samples[n] = (seed / 2147483647) * 2 - 1
    }
  }

  play(
    frame: Pick<Frame, 'pops' | 'sounds' | 'rpm' | 'parking' | 'trailer'>,
    at = this.context.currentTime,
  ): void {
    const heard = new Set<string>()
    for (const sound of frame.sounds) {
      const key = `${sound.name} ${sound.place}`
      heard.add(key)
      const voice = this.voices.get(key) ?? this.make(key, sound)
      voice.tune?.(frame)
      voice.gain.gain.setTargetAtTime(gainOf(Math.min(sound.level, LOUDEST)), at, 0.03)
    }
    for (const [key, { gain }] of this.voices) {
      if (!heard.has(key)) gain.gain.setTargetAtTime(0, at, key.startsWith('engine') ? 0.25 : 0.05)
    }
    const knobs = `${frame.parking} ${frame.trailer}`
    const softly = this.softPop && frame.pops.length > 0
    if (this.wasKnobs && knobs !== this.wasKnobs && !softly) this.clack(at)
    this.wasKnobs = knobs
  }

  quiet(quiet: boolean): void {
    this.master.gain.setTargetAtTime(quiet ? 0 : 1, this.context.currentTime, 0.05)
  }

  close(): void {
    this.master.disconnect()
  }

  private make(key: string, { name, place }: Sound): Voice {
    const gain = new GainNode(this.context, { gain: 0 })
    const pan = new StereoPannerNode(this.context, { pan: PAN[place] ?? 0 })
    gain.connect(pan).connect(this.master)
    const voice: Voice = { gain }
    if (name === 'engine') voice.tune = this.engine(gain)
    else if (name === 'compressor') voice.tune = this.beat(gain)
    else if (name === 'buzzer') this.tone(gain, 'square', 415)
    else if (name === 'starter') this.tone(gain, 'sawtooth', 92)
    else if (name === 'grinding') this.rush(gain, 420, 3)
    else if (name === 'blast') this.rush(gain, 900, 0.4)
    else this.rush(gain, 4200, 0.8)
    this.voices.set(key, voice)
    return voice
  }

  private rush(into: GainNode, hertz: number, q: number): void {
    const source = new AudioBufferSourceNode(this.context, { buffer: this.noise, loop: true })
    source
      .connect(new BiquadFilterNode(this.context, { type: 'bandpass', frequency: hertz, Q: q }))
      .connect(into)
    source.start()
  }

  private tone(into: GainNode, type: OscillatorType, hertz: number): OscillatorNode {
    const tone = new OscillatorNode(this.context, { type, frequency: hertz })
    tone.connect(new BiquadFilterNode(this.context, { type: 'lowpass', frequency: hertz * 4 })).connect(into)
    tone.start()
    return tone
  }

  /** Six cylinders fire three times a turn. */
  private engine(into: GainNode): NonNullable<Voice['tune']> {
    const low = this.tone(into, 'sawtooth', 33)
    const half = this.tone(into, 'triangle', 16)
    return ({ rpm }) => {
      const hertz = Math.max(8, (rpm / 60) * 3)
      low.frequency.setTargetAtTime(hertz, this.context.currentTime, 0.08)
      half.frequency.setTargetAtTime(hertz / 2, this.context.currentTime, 0.08)
    }
  }

  /** The compressor's knock: faint, twice a turn. */
  private beat(into: GainNode): NonNullable<Voice['tune']> {
    const knock = this.tone(into, 'square', 22)
    return ({ rpm }) => knock.frequency.setTargetAtTime(Math.max(8, rpm / 30), this.context.currentTime, 0.08)
  }

  private clack(at: number): void {
    const gain = new GainNode(this.context, { gain: 0 })
    gain.connect(this.master)
    gain.gain.setValueAtTime(0.5, at)
    gain.gain.exponentialRampToValueAtTime(0.001, at + 0.09)
    const source = new AudioBufferSourceNode(this.context, { buffer: this.noise })
    source.connect(new BiquadFilterNode(this.context, { type: 'lowpass', frequency: 1400 })).connect(gain)
    source.start(at)
    source.stop(at + 0.1)
  }
}
