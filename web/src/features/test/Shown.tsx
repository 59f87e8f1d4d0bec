import { useEffect, useRef } from 'react'
import type { Schema } from '../../shared/api'
import type { Body, DeviceEvent } from '../../device'

interface ShownProps {
  write: (bodies: Body[]) => Promise<boolean>
  stages: Schema['StageOut'][]
  events: DeviceEvent[]
}

/** Writes into the log that a fail was shown on this device: taken back afterwards, it still keeps the vehicle in. */
export function Shown({ write, stages, events }: ShownProps) {
  const written = useRef(new Set<string>())
  useEffect(() => {
    const known = new Set(
      events
        .filter(({ event }) => event.type === 'shown')
        .map(({ event }) => `${String(event.stage)} ${String(event.attempt)}`),
    )
    for (const { stage, attempt, outcome, stands } of stages) {
      const name = `${stage} ${attempt}`
      if (outcome !== 'fail' || !stands || known.has(name) || written.current.has(name)) continue
      written.current.add(name)
      void write([{ type: 'shown', stage, attempt, outcome }])
    }
  })
  return null
}
