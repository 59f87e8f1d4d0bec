import { afterEach, beforeEach, expect, test, vi } from 'vitest'

/** An audio clock that stands still, and what was put on it. */
class Context extends EventTarget {
  state = 'suspended'
  currentTime = 100
  destination = {}
  resume = () => {
    this.state = 'running'
    this.dispatchEvent(new Event('statechange'))
    return Promise.resolve()
  }
}

interface Tone {
  hertz: number
  from: number
  until: number
  gone: boolean
}
let tones: Tone[]

class Node {
  private readonly tone: Tone
  readonly gain = { setValueAtTime: vi.fn(), linearRampToValueAtTime: vi.fn() }
  constructor(_: Context, { frequency }: { frequency?: number }) {
    this.tone = { hertz: frequency ?? 0, from: 0, until: 0, gone: false }
    if (frequency) tones.push(this.tone)
  }
  connect = (next: unknown) => next
  start = (at: number) => void (this.tone.from = at)
  stop = (at: number) => void (this.tone.until = at)
  disconnect = () => void (this.tone.gone = true)
}

beforeEach(() => {
  tones = []
  vi.resetModules()
  vi.stubGlobal('AudioContext', Context)
  vi.stubGlobal('OscillatorNode', Node)
  vi.stubGlobal('GainNode', Node)
})
afterEach(() => void vi.unstubAllGlobals())

const unlocked = async () => {
  const sound = await import('./sound')
  expect(await sound.unlockSound()).toBe(true)
  return sound
}

test('before a touch there is no sound, and nothing is scheduled', async () => {
  const sound = await import('./sound')
  expect(sound.soundState()).toBe('silent')
  sound.scheduleHold(60)()
  expect(tones).toEqual([])
})

test('a browser without sound says so', async () => {
  vi.stubGlobal('AudioContext', undefined)
  const sound = await import('./sound')
  expect(await sound.unlockSound()).toBe(false)
})

test.each([
  [60, [150, 160, 160.45]],
  [10, [110, 110.45]],
  [4, [104, 104.45]],
  [0, []],
  [-3, []],
])('a hold with %s s to go sounds ten seconds before its end, and twice at it', async (leftS, times) => {
  const { scheduleHold } = await unlocked()
  scheduleHold(leftS)
  expect(tones.map(({ from }) => from).sort((a, b) => a - b)).toEqual(times)
  const end = tones.filter(({ from }) => from >= 100 + leftS)
  expect(end.every(({ hertz }) => tones.every((other) => other.hertz <= hertz))).toBe(true)
  expect(tones.every(({ from, until }) => until > from)).toBe(true)
})

test('what is called off is not heard', async () => {
  const { scheduleHold, scheduleSettled } = await unlocked()
  scheduleHold(60)()
  scheduleSettled(20)()
  expect(tones.map(({ gone }) => gone)).toEqual([true, true, true, true])
})

test('muted, the tones are left out and the screen knows', async () => {
  const { mute, scheduleHold, soundState } = await unlocked()
  expect(soundState()).toBe('on')
  mute(true)
  scheduleHold(60)
  expect([tones, soundState()]).toEqual([[], 'muted'])
})

test('steps are spoken only by a voice that is on this device', async () => {
  const { speak } = await unlocked()
  const spoken: string[] = []
  const voices = [
    { lang: 'es-MX', localService: false },
    { lang: 'en-US', localService: true },
  ]
  vi.stubGlobal(
    'SpeechSynthesisUtterance',
    class {
      constructor(readonly text: string) {}
    },
  )
  vi.stubGlobal('speechSynthesis', {
    getVoices: () => voices,
    cancel: () => undefined,
    speak: ({ text }: { text: string }) => spoken.push(text),
  })
  expect([speak('Pedal down', 'en'), speak('Pise el pedal', 'es')]).toEqual([true, false])
  expect(spoken).toEqual(['Pedal down'])
})
