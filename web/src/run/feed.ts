/** A unit's live feed on this page: what the needles show now, what they showed at a mark, and moments to confirm. */

import { useEffect, useState, useSyncExternalStore } from 'react'
import { now, secondsSince, type ClockReading, keepConnected } from '../device'
import { Subscribable } from '../shared/subscribable'

export type Numbers = Record<string, number>

export interface Proposal {
  moment: 'settled' | 'cut_out' | 'cut_in' | 'warning' | 'tractor_out' | 'trailer_out'
  at: ClockReading
  numbers: Numbers
}

export interface FeedState {
  /** No frame for so long that what was shown is old. */
  stopped: boolean
  /** Another process of the server may have the sender, and cannot be heard just now. */
  apart: boolean
  /** What was wrong with the order of the frames lately. */
  trouble: 'gap' | 'jump' | null
  /** Needles in psi, as of the newest frame. */
  numbers: Numbers | null
  knobs: { tractor?: boolean; trailer?: boolean }
  /** The newest proposal of each moment. */
  proposals: Proposal[]
}

interface Frame {
  t_s: number
  primary_psi: number
  secondary_psi?: number
  tractor_in?: boolean
  trailer_in?: boolean
}

interface Message {
  state?: 'live' | 'stopped'
  apart?: boolean
  frame?: Frame
  trouble?: 'gap' | 'jump'
  proposals?: {
    moment: Proposal['moment']
    ago_s: number
    primary_psi: number
    secondary_psi: number | null
  }[]
}

const STOPPED_AFTER_S = 2
const TROUBLE_SHOWN_S = 8
/** Prompts are looked up this far back. */
const SAVED_S = 20
const PROPOSED_FOR_S = 12

const needlesOf = ({
  primary_psi,
  secondary_psi,
}: {
  primary_psi: number
  secondary_psi?: number | null
}) => {
  const tenth = (psi: number) => Math.round(psi * 10) / 10
  return {
    primary_psi: tenth(primary_psi),
    ...(secondary_psi == null ? {} : { secondary_psi: tenth(secondary_psi) }),
  }
}

export class Feed extends Subscribable {
  private readonly seen: { at: ClockReading; numbers: Numbers }[] = []
  private troubled: { what: 'gap' | 'jump'; at: ClockReading } | null = null
  private proposed: Proposal[] = []
  private knobs: FeedState['knobs'] = {}
  private over = false
  private apart = false
  private shown: FeedState = {
    stopped: true,
    apart: false,
    trouble: null,
    numbers: null,
    knobs: {},
    proposals: [],
  }

  constructor(unitId: string) {
    super()
    const hangUp = keepConnected(
      `/api/units/${unitId}/feed`,
      (message) => this.take(message as Message),
      () => this.show(),
    )
    // silence is news too
    const timer = setInterval(() => this.show(), 500)
    this.close = () => {
      this.over = true
      clearInterval(timer)
      hangUp()
    }
  }

  readonly close: () => void

  state = (): FeedState => this.shown

  /** What the needles showed at a moment of this page; null when no frame came near it. */
  at(moment: ClockReading): Numbers | null {
    const near = this.seen.findLast(({ at }) => at.mono_s <= moment.mono_s) ?? this.seen[0]
    if (!near || near.at.epoch !== moment.epoch) return null
    return Math.abs(moment.mono_s - near.at.mono_s) <= STOPPED_AFTER_S ? near.numbers : null
  }

  private take({ state, apart = false, frame, trouble, proposals }: Message): void {
    const at = now()
    if (state) this.apart = apart
    if (frame) {
      this.seen.push({ at, numbers: needlesOf(frame) })
      while (this.seen[0] && at.mono_s - this.seen[0].at.mono_s > SAVED_S) this.seen.shift()
      this.knobs = { tractor: frame.tractor_in, trailer: frame.trailer_in }
    }
    if (trouble) this.troubled = { what: trouble, at }
    for (const one of proposals ?? []) {
      const wall = new Date(Date.parse(at.wall) - one.ago_s * 1000).toISOString()
      const moment = { ...at, mono_s: Math.round((at.mono_s - one.ago_s) * 1000) / 1000, wall }
      const rest = this.proposed.filter(({ moment: before }) => before !== one.moment)
      this.proposed = [...rest, { moment: one.moment, at: moment, numbers: needlesOf(one) }]
    }
    this.show()
  }

  private show(): void {
    if (this.over) return
    const newest = this.seen.at(-1)
    const stopped = !newest || secondsSince(newest.at) > STOPPED_AFTER_S
    this.shown = {
      stopped,
      apart: this.apart,
      trouble: this.troubled && secondsSince(this.troubled.at) < TROUBLE_SHOWN_S ? this.troubled.what : null,
      numbers: stopped ? null : (newest?.numbers ?? null),
      knobs: stopped ? {} : this.knobs,
      proposals: this.proposed.filter(({ at }) => secondsSince(at) < PROPOSED_FOR_S),
    }
    this.tell()
  }
}

const NONE = () => () => undefined
const nothing = (): FeedState | null => null

/** The feed of a unit while this screen is shown; null where needles are read by eye. */
export function useFeed(unitId: string | null): { feed: Feed; state: FeedState } | null {
  const [feed, setFeed] = useState<Feed | null>(null)
  useEffect(() => {
    if (!unitId) return
    const made = new Feed(unitId)
    // one connection for one unit, made and ended with the screen
    // eslint-disable-next-line react-hooks/set-state-in-effect
    setFeed(made)
    return () => {
      made.close()
      setFeed(null)
    }
  }, [unitId])
  const state = useSyncExternalStore(feed?.subscribe ?? NONE, feed?.state ?? nothing)
  return feed && state ? { feed, state } : null
}
