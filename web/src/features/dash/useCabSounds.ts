import { useEffect, useState } from 'react'
import type { Practice } from '../../device'
import { CabSounds } from './sounds'

const KEY = 'lowhiss.cabsound'

/** The cab's sounds from the first touch on; whether they are on, and how to turn them. */
export function useCabSounds(practice: Practice): [boolean, () => void] {
  const [on, setOn] = useState(() => localStorage.getItem(KEY) !== 'off')
  useEffect(() => {
    if (!on || typeof AudioContext === 'undefined') return
    let context: AudioContext | undefined
    let cab: CabSounds | undefined
    let ends: (() => void) | undefined
    const begin = () => {
      if (context) return void context.resume()
      context = new AudioContext({ latencyHint: 'interactive' })
      const made = new CabSounds(context, practice.described?.soft_pop)
      cab = made
      ends = practice.onFrame((frame) => made.play(frame))
    }
    window.addEventListener('pointerdown', begin)
    window.addEventListener('keydown', begin)
    return () => {
      window.removeEventListener('pointerdown', begin)
      window.removeEventListener('keydown', begin)
      ends?.()
      cab?.close()
      void context?.close()
    }
  }, [practice, on])
  const turn = () => {
    setOn(!on)
    try {
      localStorage.setItem(KEY, on ? 'off' : 'on')
    } catch {
      // a device without room begins with sound
    }
  }
  return [on, turn]
}
