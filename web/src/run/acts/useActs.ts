import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { FLEET_KEYS, type Schema } from '../../shared/api'
import type { LocalAct } from '../../device'
import { useRecorder } from '../useLiveRun'

export type PartRef = Schema['PartBody'] & { name: string }
export type Act = (
  type: Schema['ActBody']['type'],
  part: PartRef,
  body: Record<string, unknown>,
  photos?: Blob[],
) => Promise<void>

/** Writes down what is done about vehicles on this device first; rejects where it cannot be kept here. */
export function useActs(): Act {
  const device = useRecorder()
  return async (type, { name, kind, id }, body, photos) => {
    if (!('recorder' in device)) throw new Error(device.refusal)
    await device.recorder.act({ about: name, part: { kind, id }, type, body, photos })
  }
}

/** What was done here and the server has not kept; whatever hangs on it is asked for anew once it has. */
export function useWaitingActs(): { acts: LocalAct[]; dismiss: (id: string) => void } {
  const device = useRecorder()
  const recorder = 'recorder' in device ? device.recorder : null
  const queries = useQueryClient()
  const [acts, setActs] = useState<LocalAct[]>([])
  const settled = useRef(recorder?.settled)
  useEffect(() => {
    if (!recorder) return
    let wanted = true
    const look = () => {
      void recorder.acts().then((found) => wanted && setActs(found))
      if (settled.current === recorder.settled) return
      settled.current = recorder.settled
      void queries.invalidateQueries({ predicate: ({ queryKey }) => FLEET_KEYS.includes(queryKey[0]) })
    }
    look()
    const stop = recorder.subscribe(look)
    return () => {
      wanted = false
      stop()
    }
  }, [recorder, queries])
  return { acts, dismiss: (id) => void recorder?.dismissAct(id) }
}
