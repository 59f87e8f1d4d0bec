/** Tones for eyes that are on the needles, scheduled ahead on the audio clock, so that a busy page cannot delay them. */

let context: AudioContext | undefined

/** To be called from a touch or key: browsers let no page sound before one. Returns whether sound is on. */
export async function unlockSound(): Promise<boolean> {
  if (typeof AudioContext === 'undefined') return false
  context ??= new AudioContext()
  if (context.state !== 'running') await context.resume().catch(() => undefined)
  return context.state === 'running'
}

export const soundIsOn = (): boolean => context?.state === 'running'

function beep(at: number, hertz: number, lengthS: number): OscillatorNode | undefined {
  if (!context) return undefined
  const tone = new OscillatorNode(context, { frequency: hertz, type: 'triangle' })
  const level = new GainNode(context, { gain: 0 })
  level.gain.setValueAtTime(0, at)
  level.gain.linearRampToValueAtTime(0.5, at + 0.02)
  level.gain.setValueAtTime(0.5, at + lengthS - 0.05)
  level.gain.linearRampToValueAtTime(0, at + lengthS)
  tone.connect(level).connect(context.destination)
  tone.start(at)
  tone.stop(at + lengthS)
  return tone
}

/** Schedule both tones of a hold that has `leftS` to go; returns how to call them off. */
export function scheduleHold(leftS: number): () => void {
  if (!context || leftS <= 0) return () => undefined
  const end = context.currentTime + leftS
  const tones = [beep(end, 880, 0.35), beep(end + 0.45, 880, 0.6)]
  if (leftS > 10) tones.push(beep(end - 10, 587, 0.3))
  return () => tones.forEach((tone) => tone?.disconnect())
}

/** The tones as they will sound, close together. */
export function tryTones(): void {
  if (!context) return
  const at = context.currentTime + 0.05
  beep(at, 587, 0.3)
  beep(at + 0.8, 880, 0.35)
  beep(at + 1.25, 880, 0.6)
}
