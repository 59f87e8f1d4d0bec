/** Judges in a thread of its own, by the core itself: Python for browsers, loaded from our own files. */

import type { Core, Question, Reply } from './core'
import { Driving, type DriveAsk } from './driving'

let loading: Promise<Core> | undefined

/** As much of the interpreter as is used here. */
interface Interpreter {
  FS: { mkdirTree: (path: string) => void; writeFile: (path: string, text: string) => void }
  runPython: (code: string) => unknown
}

async function load(from: string): Promise<Core> {
  const [{ loadPyodide }, texts] = await Promise.all([
    import(/* @vite-ignore */ `${from}pyodide.mjs`) as Promise<{
      loadPyodide: (options: { indexURL: string }) => Promise<Interpreter>
    }>,
    fetch(`${from}core.json`).then((answer) => answer.json() as Promise<Record<string, string>>),
  ])
  const python = await loadPyodide({ indexURL: from })
  for (const [path, text] of Object.entries(texts)) {
    const whole = `/core/lowhiss/${path}`
    python.FS.mkdirTree(whole.slice(0, whole.lastIndexOf('/')))
    python.FS.writeFile(whole, text)
  }
  return python.runPython(
    'import sys; sys.path.insert(0, "/core"); from lowhiss.engine import on_device; on_device',
  ) as Core
}

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
