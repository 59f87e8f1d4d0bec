import { useQuery } from '@tanstack/react-query'
import { use, useEffect, useMemo, useState, useSyncExternalStore } from 'react'
import {
  roundRecordOf,
  roundScriptHere,
  roundStateHere,
  type Body,
  type LiveRound,
  type Recorder,
  type Rounds,
} from '../../device'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { foldRound, stepsOf, type RoundFold, type Step } from './fold'

const OFFLINE_AFTER_MS = 400

type RunMarks = { type: string; [field: string]: unknown }[]
const NO_RUN: RunMarks = []

export interface RoundHere {
  live: LiveRound
  fold: RoundFold
  steps: Step[]
  /** How it stands, judged by the server or here; undefined until it was judged once. */
  state: Schema['RoundStateOut'] | undefined
  mark: (bodies: Body[]) => Promise<void>
}

/** A round on this device and everything that happens to it, here and on a helper's device. */
export function useRound(
  recorder: Recorder,
  roundId: string,
  run: RunMarks = NO_RUN,
): RoundHere | 'loading' | 'gone' {
  const rounds = use(recorder.rounds())
  const live = useSyncExternalStore(rounds.subscribe, () => rounds.snapshot(roundId))
  const [goneId, setGoneId] = useState('')
  useEffect(() => {
    if (!rounds.snapshot(roundId)) rounds.load(roundId).catch(() => setGoneId(roundId))
  }, [rounds, roundId])
  useEffect(() => rounds.listen(roundId), [rounds, roundId])
  const script = live?.round.script
  const fold = useMemo(
    () => (live && script ? foldRound(script, live.events, run) : null),
    [live, script, run],
  )
  const steps = useMemo(() => (script ? stepsOf(script) : []), [script])
  const state = useJudged(live)
  useScript(rounds, live)
  if (!live || !fold) return goneId === roundId ? 'gone' : 'loading'
  return { live, fold, steps, state, mark: (bodies) => rounds.mark(roundId, bodies) }
}

/** How it stands: the server says once it has every mark; without contact this device says so itself. */
function useJudged(live: LiveRound | undefined): Schema['RoundStateOut'] | undefined {
  const { language, unit } = useFigures()
  const id = live?.round.id ?? ''
  const kept = live?.events.filter(({ delivery }) => delivery === 'kept').length ?? 0
  const waiting = live?.events.filter(({ delivery }) => delivery === 'waiting').length ?? 0
  const told = live !== undefined && !live.round.begin
  const server = useQuery({
    queryKey: ['round', id, 'state', kept, language, unit],
    enabled: told && waiting === 0,
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/rounds/{round_id}/state', {
          signal,
          params: { path: { round_id: id }, query: { lang: language, unit } },
        }),
      ),
    retry: false,
    placeholderData: (before) => before,
  })
  const [here, setHere] = useState<Schema['RoundStateOut']>()
  const alone = live !== undefined && (!told || waiting > 0 || server.isError)
  useEffect(() => {
    if (!live || !alone) return
    let wanted = true
    const later = setTimeout(() => {
      roundStateHere(roundRecordOf(live), null, language, unit).then(
        (state) => wanted && setHere(state),
        () => undefined,
      )
    }, OFFLINE_AFTER_MS)
    return () => {
      wanted = false
      clearTimeout(later)
    }
  }, [live, alone, language, unit])
  return alone && here ? here : server.data
}

/** The script grows with what is said of the set, and speaks the reader's language: asked for anew when either changed. */
function useScript(rounds: Rounds, live: LiveRound | undefined): void {
  const { language, unit } = useFigures()
  const id = live?.round.id ?? ''
  const said = live?.events.filter(({ event }) => ['fact', 'figure', 'axles'].includes(event.type)) ?? []
  const waiting = said.some(({ delivery }) => delivery === 'waiting')
  const told = live !== undefined && !live.round.begin && !waiting
  const server = useQuery({
    queryKey: ['round', id, 'script', said.length, language, unit],
    enabled: told,
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/rounds/{round_id}/script', {
          signal,
          params: { path: { round_id: id }, query: { lang: language, unit } },
        }),
      ),
    staleTime: Infinity,
    retry: false,
  })
  useEffect(() => {
    if (server.data) void rounds.follow(id, server.data)
  }, [rounds, id, server.data])
  const alone = live !== undefined && said.length > 0 && (!told || server.isError)
  useEffect(() => {
    if (!live || !alone) return
    let wanted = true
    roundScriptHere(roundRecordOf(live), language, unit).then(
      (script) => void (wanted && rounds.follow(id, script)),
      () => undefined,
    )
    return () => void (wanted = false)
    // the marks themselves do not matter here, only what was said of the set
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [said.length, alone, language, unit])
}
