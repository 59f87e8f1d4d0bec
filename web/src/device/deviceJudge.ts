/** The judge on this device, for when there is no contact: the server's own core in a worker, begun when first asked. */

import type { Schema } from '../shared/api'
import type { DriveAsk, DriveMessage } from './driving'
import type { Question, Reply } from './core'

declare const __JUDGE__: string
declare const __JUDGE_FILES__: string[]

export type DeviceReport = Pick<Schema['ReportOut'], 'outcome' | 'verdict' | 'column' | 'timeline'>

const CACHE = 'judge'

let worker: Worker | undefined
let asked = 0
const open = new Map<number, { kept: (answer: unknown) => void; failed: (error: Error) => void }>()

/** Keep the judge's files on this device, once, while there is contact; quietly does without where there is no room. */
export async function saveJudge(): Promise<void> {
  if (!('caches' in window && 'serviceWorker' in navigator)) return
  // only what answers without contact can use them: where there is no such worker, this waits for ever
  await navigator.serviceWorker.ready
  const cache = await caches.open(CACHE)
  for (const name of __JUDGE_FILES__) {
    const address = __JUDGE__ + name
    if (!(await cache.match(address))) await cache.add(address)
  }
}

async function isSaved(): Promise<boolean> {
  const cache = 'caches' in window ? await caches.open(CACHE) : undefined
  const found = await Promise.all(__JUDGE_FILES__.map((name) => cache?.match(__JUDGE__ + name)))
  return found.every(Boolean)
}

/** What the report says of a run record, judged here. Rejects where the judge is not on this device. */
export const judgeHere = async (record: object, language: string, unit: string): Promise<DeviceReport> =>
  (await ask('judge', [JSON.stringify(record), language, unit])) as DeviceReport

/** How an inspection stands, judged here. `run`: the record of the air test beside it with its begin in the inspection's time. */
export const inspectionStateHere = async (
  record: object,
  run: object | null,
  language: string,
  unit: string,
): Promise<Schema['InspectionStateOut']> =>
  (await ask('inspection_state', [
    JSON.stringify(record),
    run ? JSON.stringify(run) : '',
    language,
    unit,
  ])) as Schema['InspectionStateOut']

/** What leads an inspection from here on, made here. */
export const inspectionScriptHere = async (
  record: object,
  language: string,
  unit: string,
): Promise<Schema['InspectionScriptOut']> =>
  (await ask('inspection_script', [JSON.stringify(record), language, unit])) as Schema['InspectionScriptOut']

/** Ask the core on this device, fetching it where there is contact. */
export const askCore = (what: Question['what'], given: string[]): Promise<unknown> => ask(what, given, true)

let drives: ((told: DriveMessage) => void) | undefined

/** The vehicle in the worker: one at a time. The answer sends to it. */
export function driveHere(hear: (told: DriveMessage) => void): (ask: DriveAsk) => void {
  drives = hear
  return (ask) => {
    worker ??= start()
    worker.postMessage(ask)
  }
}

/** Where the interpreter and the core lie. */
export const coreAddress = (): string => new URL(__JUDGE__, window.location.href).href

async function ask(what: Question['what'], given: string[], fetched = false): Promise<unknown> {
  // a worker that drives has everything already
  if (!fetched && !worker && !(await isSaved())) throw new Error('the judge is not on this device')
  worker ??= start()
  asked += 1
  const question: Question = { id: asked, from: coreAddress(), what, given }
  worker.postMessage(question)
  return new Promise((kept, failed) => open.set(question.id, { kept, failed }))
}

function start(): Worker {
  const made = new Worker(new URL('./judge.worker.ts', import.meta.url), { type: 'module' })
  made.onmessage = ({ data }: MessageEvent<Reply | DriveMessage>) => {
    if ('drive' in data) return drives?.(data)
    const waiting = open.get(data.id)
    open.delete(data.id)
    if ('answer' in data) waiting?.kept(JSON.parse(data.answer))
    else waiting?.failed(new Error(data.failed))
  }
  made.onerror = ({ message }) => {
    for (const { failed } of open.values()) failed(new Error(message))
    open.clear()
    worker = undefined
    drives?.({ drive: 'failed', why: message })
  }
  return made
}
