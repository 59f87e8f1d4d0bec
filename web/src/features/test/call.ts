export type CallPart = 'limit' | 'action' | 'reading' | 'verdict'

export interface Call {
  part: CallPart
  /** The `what` of its `said` event; what is done needs no tick. */
  what: string | null
  words: Record<string, string>
}
