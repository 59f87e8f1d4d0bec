/** Connections that the server speaks on: nudges of a run, and a unit's live feed. */

const FIRST_PAUSE_MS = 500
const LONGEST_PAUSE_MS = 10_000
/** The run is not there, or this page is not the server's own: coming back would not help. */
const FOR_GOOD = new Set([4404, 4403])

export interface Nudge {
  last_seq: number
  /** The run's time at the server [s]. */
  at_s: number
}

/** Hear of a run until the answer is called. */
export const listen = (runId: string, nudged: (nudge: Nudge) => void): (() => void) =>
  keepConnected(`/api/runs/${runId}/live`, (message) => nudged(message as Nudge))

/** Stay connected until the answer is called: again after every loss, at once when there is contact again. */
export function keepConnected(
  path: string,
  heard: (message: unknown) => void,
  lost?: () => void,
): () => void {
  let socket: WebSocket | undefined
  let timer: ReturnType<typeof setTimeout> | undefined
  let pauseMs = FIRST_PAUSE_MS
  let over = false
  const connect = () => {
    clearTimeout(timer)
    const address = new URL(path, window.location.href)
    address.protocol = address.protocol.replace('http', 'ws')
    socket = new WebSocket(address)
    socket.onmessage = ({ data }) => {
      pauseMs = FIRST_PAUSE_MS
      heard(JSON.parse(String(data)))
    }
    socket.onclose = ({ code }) => {
      socket = undefined
      lost?.()
      if (over || FOR_GOOD.has(code)) return
      timer = setTimeout(connect, pauseMs)
      pauseMs = Math.min(pauseMs * 2, LONGEST_PAUSE_MS)
    }
  }
  const back = () => {
    if (!socket && !over) connect()
  }
  connect()
  window.addEventListener('online', back)
  return () => {
    over = true
    clearTimeout(timer)
    window.removeEventListener('online', back)
    socket?.close()
  }
}
