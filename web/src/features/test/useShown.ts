import { useEffect, useRef } from 'react'
import type { Schema } from '../../shared/api'
import type { Body, DeviceEvent } from '../../device'

/** Writes into the log that a fail was shown on this device: taken back afterwards, it still keeps the vehicle in. */
export function useShown(
  write: (bodies: Body[]) => Promise<boolean>,
  runId: string,
  stages: Schema['StageOut'][] | undefined,
  events: DeviceEvent[],
) {
  const written = useRef(new Set<string>())
  useEffect(() => {
    const known = new Set(
      events
        .filter(({ event }) => event.type === 'shown')
        .map(({ event }) => `${runId} ${String(event.stage)} ${String(event.attempt)}`),
    )
    for (const { stage, attempt, outcome, stands } of stages ?? []) {
      const name = `${runId} ${stage} ${attempt}`
      if (outcome !== 'fail' || !stands || known.has(name) || written.current.has(name)) continue
      written.current.add(name)
      void write([{ type: 'shown', stage, attempt, outcome }])
    }
  })
}
