/** Connections that the server speaks on: nudges of a log, and a unit's live feed. */

import ReconnectingSocket from 'partysocket/ws'

/** The log is not there, or this page is not the server's own: coming back would not help. */
const FOR_GOOD = new Set([4404, 4403])
const COMING_BACK = {
  minReconnectionDelay: 500,
  reconnectionDelayGrowFactor: 2,
  maxReconnectionDelay: 10_000,
  minUptime: 1000,
  shouldReconnectOnClose: ({ code }: { code: number }) => !FOR_GOOD.has(code),
}

export interface Nudge {
  last_seq: number
  /** The log's time at the server [s]. */
  at_s: number
}

/** Hear how far a log has come until the answer is called. */
export const listen = (path: string, nudged: (nudge: Nudge) => void): (() => void) =>
  keepConnected(path, (message) => nudged(message as Nudge))

/** Stay connected until the answer is called: again after every loss, at once when there is contact again. */
export const keepConnected = (
  path: string,
  heard: (message: unknown) => void,
  lost?: () => void,
): (() => void) => keepTalking(path, heard, lost).end

/** The same with a way to answer; what is said while nobody hears it is not said later. */
export function keepTalking(
  path: string,
  heard: (message: unknown) => void,
  lost?: () => void,
): { say: (message: object) => void; end: () => void } {
  const address = new URL(path, window.location.href)
  address.protocol = address.protocol.replace('http', 'ws')
  let stands = false
  let over = false
  const connect = () => {
    const made = new ReconnectingSocket(address.href, undefined, COMING_BACK)
    made.onopen = () => (stands = true)
    made.onmessage = ({ data }) => heard(JSON.parse(String(data)))
    made.onclose = ({ code }) => {
      stands = false
      over ||= FOR_GOOD.has(code)
      lost?.()
    }
    return made
  }
  let socket = connect()
  const hangUp = () => {
    socket.onclose = null
    socket.close()
  }
  // one that waits for its next try would wait to the end
  const back = () => {
    if (stands || over) return
    hangUp()
    socket = connect()
  }
  window.addEventListener('online', back)
  return {
    say: (message) => stands && socket.send(JSON.stringify(message)),
    end: () => {
      window.removeEventListener('online', back)
      hangUp()
    },
  }
}
