/** Tones for eyes that are on the needles, scheduled ahead on the audio clock, so that a busy page cannot delay them. */

import { useSyncExternalStore } from 'react'
import { Subscribable } from '../shared/subscribable'

export type SoundState = 'on' | 'muted' | 'silent'

let context: AudioContext | undefined
let muted = false
const changes = new Subscribable()
const { tell } = changes

/** To be called from a touch or key: browsers let no page sound before one. Returns whether sound is on. */
export async function unlockSound(): Promise<boolean> {
  if (typeof AudioContext === 'undefined') return false
  if (!context) {
    context = new AudioContext()
    context.addEventListener('statechange', tell)
  }
  if (context.state !== 'running') await context.resume().catch(() => undefined)
  return context.state === 'running'
}

export function mute(quiet: boolean): void {
  muted = quiet
  tell()
}

export const soundState = (): SoundState => (muted ? 'muted' : context?.state === 'running' ? 'on' : 'silent')

/** Whether tones would be heard now; draws again when that changes. */
export const useSound = (): SoundState => useSyncExternalStore(changes.subscribe, soundState)

function beep(at: number, hertz: number, lengthS: number): OscillatorNode | undefined {
  if (!context || muted) return undefined
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

/** Schedule the tones of a hold that has `leftS` to go; returns how to call them off. */
export function scheduleHold(leftS: number): () => void {
  if (!context || leftS <= 0) return () => undefined
  const end = context.currentTime + leftS
  const tones = [beep(end, 880, 0.35), beep(end + 0.45, 880, 0.6)]
  if (leftS > 10) tones.push(beep(end - 10, 587, 0.3))
  return () => tones.forEach((tone) => tone?.disconnect())
}

/** Schedule the one low tone that says the tanks have had their time to settle; returns how to call it off. */
export function scheduleSettled(leftS: number): () => void {
  if (!context || leftS <= 0) return () => undefined
  const tone = beep(context.currentTime + leftS, 440, 0.25)
  return () => tone?.disconnect()
}

/** The tones as they will sound, close together. */
export function tryTones(): void {
  if (!context) return
  const at = context.currentTime + 0.05
  beep(at, 440, 0.25)
  beep(at + 0.7, 587, 0.3)
  beep(at + 1.5, 880, 0.35)
  beep(at + 1.95, 880, 0.6)
}

/** Say something by a voice that is on this device; nothing leaves it. Returns whether there is such a voice. */
export function speak(text: string, language: string): boolean {
  const voices = typeof speechSynthesis === 'undefined' ? [] : speechSynthesis.getVoices()
  const voice = voices.find(({ localService, lang }) => localService && lang.startsWith(language))
  if (!voice) return false
  const said = new SpeechSynthesisUtterance(text)
  said.voice = voice
  said.lang = voice.lang
  speechSynthesis.cancel()
  speechSynthesis.speak(said)
  return true
}
