/** A run on a screen, and what the test screen writes into. */

import type { Schema } from '../shared/api'
import type { Stage } from '../shared/trade'
import type { ClockReading } from './clock'
import type { Body, DeviceEvent, LocalRun } from './db'
import type { Inspections } from './inspections'

export interface LiveRun {
  run: LocalRun
  events: DeviceEvent[]
  /** The server's last sequence number for this run, as far as it told. */
  lastSeq: number
  reached: boolean
  /** The run's time less this page's clock [s], where the server has said it. */
  offsetS: number | null
}

/** What the test screen writes into: the runs of this device, or a practice that is driven on it. */
export interface TestRecorder {
  subscribe: (listener: () => void) => () => void
  snapshot: (runId: string) => LiveRun | undefined
  load: (runId: string) => Promise<LiveRun>
  listen: (runId: string) => () => void
  mark: (runId: string, bodies: Body[], at?: ClockReading) => Promise<void>
  noteStanding: (runId: string, stands: Partial<Record<Stage, string>>) => Promise<void>
  takePart: (head: Pick<Schema['RunOut'], 'id' | 'part'>) => Promise<void>
  /** What inspections of the run found that stops something; `judged`: as the server has them. */
  blockedBy: Inspections['blockedBy']
  /** Whether the vehicle is as these events say, where there is something that knows. */
  isSo?: (bodies: Body[]) => Promise<boolean>
}

/** What is chosen of a practice: its name, and what the core takes. */
export interface NewPractice {
  title: string
  choice: Record<string, unknown>
}
