/** Judges in a thread of its own, by the core itself: Python for browsers, loaded from our own files. */

import type { Core, Question, Reply } from './core'
import { Driving, type DriveAsk } from './driving'

let loading: Promise<Core> | undefined

/** As much of the interpreter as is used here. */
interface Interpreter {
  FS: { mkdirTree: (path: string) => void; writeFile: (path: string, text: string) => void }
  runPython: (code: string) => unknown
  makeMemorySnapshot?: () => Uint8Array
}

interface Loading {
  indexURL: string
  /** Memory of an earlier start: experimental in this release, so whatever goes wrong with it means a plain start. */
  _loadSnapshot?: Uint8Array
  _makeSnapshot?: boolean
  createPyodideModule?: MakeModule
}

type MakeModule = (settings: object) => Promise<{ HEAP8: Int8Array; growMemory: (bytes: number) => void }>

/** An interpreter with room for a memory: this release lays the memory over the one it begins with, however small. */
function withRoomFor(bytes: number, from: string): MakeModule {
  return async (settings) => {
    const { default: make } = (await import(/* @vite-ignore */ `${from}pyodide.asm.mjs`)) as {
      default: MakeModule
    }
    const made = await make(settings)
    if (made.HEAP8.length < bytes) made.growMemory(bytes)
    return made
  }
}

async function load(from: string): Promise<Core> {
  const memory = await savedMemory(from)
  if (memory) {
    try {
      const createPyodideModule = withRoomFor(memory.length, from)
      return await start(from, { indexURL: from, _loadSnapshot: memory, createPyodideModule })
    } catch {
      await forgetMemory()
    }
  }
  return start(from, { indexURL: from, _makeSnapshot: true })
}

async function start(from: string, how: Loading): Promise<Core> {
  const [{ loadPyodide }, texts] = await Promise.all([
    import(/* @vite-ignore */ `${from}pyodide.mjs`) as Promise<{
      loadPyodide: (options: Loading) => Promise<Interpreter>
    }>,
    fetch(`${from}core.json`).then((answer) => answer.json() as Promise<Record<string, string>>),
  ])
  const python = await loadPyodide(how)
  for (const [path, text] of Object.entries(texts)) {
    const whole = `/core/${path}`
    python.FS.mkdirTree(whole.slice(0, whole.lastIndexOf('/')))
    python.FS.writeFile(whole, text)
  }
  if (how._makeSnapshot) {
    python.runPython('import sys; sys.path.insert(0, "/core"); import lowhiss.engine.on_device')
    await saveMemory(from, python)
  }
  return python.runPython('from lowhiss.engine import on_device; on_device') as Core
}

const MEMORY = 'judge-memory'

/** The interpreter's memory as an earlier start left it, the core in it: a start from there takes a tenth of the time. */
async function savedMemory(from: string): Promise<Uint8Array | undefined> {
  if (!('caches' in self)) return undefined
  const kept = await (await caches.open(MEMORY)).match(`${from}memory`).catch(() => undefined)
  return kept && new Uint8Array(await kept.arrayBuffer())
}

/** Keep it for the next start; where there is no room the next start is a plain one. */
async function saveMemory(from: string, python: Interpreter): Promise<void> {
  if (!('caches' in self) || !python.makeMemorySnapshot) return
  try {
    const memory = python.makeMemorySnapshot()
    await forgetMemory()
    await (await caches.open(MEMORY)).put(`${from}memory`, new Response(memory as BodyInit))
  } catch {
    // nothing is lost but some seconds
  }
}

const forgetMemory = (): Promise<unknown> => caches.delete(MEMORY).catch(() => undefined)

// what fails inside the interpreter while it loads is told by the answer
self.addEventListener('unhandledrejection', (event) => event.preventDefault())

/** The core, loaded once; one that could not be loaded is tried again, one that refuses a question goes on. */
function begun(from: string): Promise<Core> {
  loading ??= load(from).catch((error: unknown) => {
    loading = undefined
    throw error
  })
  return loading
}

const driving = new Driving(begun)

self.onmessage = ({ data }: MessageEvent<Question | DriveAsk>) => {
  if ('drive' in data) return driving.hear(data)
  const { id, from, what, given } = data
  begun(from)
    .then((core) => ({ id, answer: core[what](...given) }))
    .catch((error: unknown) => ({ id, failed: error instanceof Error ? error.message : String(error) }))
    .then((reply: Reply) => self.postMessage(reply))
}
