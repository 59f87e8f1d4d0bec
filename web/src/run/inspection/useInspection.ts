import { useQuery } from '@tanstack/react-query'
import { use, useEffect, useMemo, useState, useSyncExternalStore } from 'react'
import {
  inspectionRecordOf,
  inspectionScriptHere,
  inspectionStateHere,
  type Body,
  type LiveInspection,
  type Recorder,
  type Inspections,
} from '../../device'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { foldInspection, stepsOf, type InspectionFold, type Step } from './fold'

const OFFLINE_AFTER_MS = 400

type RunMarks = { type: string; [field: string]: unknown }[]
const NO_RUN: RunMarks = []

export interface InspectionHere {
  live: LiveInspection
  fold: InspectionFold
  steps: Step[]
  /** How it stands, judged by the server or here; undefined until it was judged once. */
  state: Schema['InspectionStateOut'] | undefined
  mark: (bodies: Body[]) => Promise<void>
}

/** An inspection on this device and everything that happens to it, here and on a helper's device. */
export function useInspection(
  recorder: Recorder,
  inspectionId: string,
  run: RunMarks = NO_RUN,
): InspectionHere | 'loading' | 'gone' {
  const inspections = use(recorder.inspections())
  const live = useSyncExternalStore(inspections.subscribe, () => inspections.snapshot(inspectionId))
  const [goneId, setGoneId] = useState('')
  useEffect(() => {
    if (!inspections.snapshot(inspectionId))
      inspections.load(inspectionId).catch(() => setGoneId(inspectionId))
  }, [inspections, inspectionId])
  useEffect(() => inspections.listen(inspectionId), [inspections, inspectionId])
  const script = live?.inspection.script
  const fold = useMemo(
    () => (live && script ? foldInspection(script, live.events, run) : null),
    [live, script, run],
  )
  const steps = useMemo(() => (script ? stepsOf(script) : []), [script])
  const state = useJudged(live)
  useScript(inspections, live)
  if (!live || !fold) return goneId === inspectionId ? 'gone' : 'loading'
  return { live, fold, steps, state, mark: (bodies) => inspections.mark(inspectionId, bodies) }
}

/** How it stands: the server says once it has every mark; without contact this device says so itself. */
function useJudged(live: LiveInspection | undefined): Schema['InspectionStateOut'] | undefined {
  const { language, unit } = useFigures()
  const id = live?.inspection.id ?? ''
  const kept = live?.events.filter(({ delivery }) => delivery === 'kept').length ?? 0
  const waiting = live?.events.filter(({ delivery }) => delivery === 'waiting').length ?? 0
  const told = live !== undefined && !live.inspection.begin
  const server = useQuery({
    queryKey: ['inspection', id, 'state', kept, language, unit],
    enabled: told && waiting === 0,
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/inspections/{inspection_id}/state', {
          signal,
          params: { path: { inspection_id: id }, query: { lang: language, unit } },
        }),
      ),
    retry: false,
    placeholderData: (before) => before,
  })
  const [here, setHere] = useState<Schema['InspectionStateOut']>()
  const alone = live !== undefined && (!told || waiting > 0 || server.isError)
  useEffect(() => {
    if (!live || !alone) return
    let wanted = true
    const later = setTimeout(() => {
      inspectionStateHere(inspectionRecordOf(live), null, language, unit).then(
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
function useScript(inspections: Inspections, live: LiveInspection | undefined): void {
  const { language, unit } = useFigures()
  const id = live?.inspection.id ?? ''
  const said = live?.events.filter(({ event }) => ['fact', 'figure', 'axles'].includes(event.type)) ?? []
  const waiting = said.some(({ delivery }) => delivery === 'waiting')
  const told = live !== undefined && !live.inspection.begin && !waiting
  const server = useQuery({
    queryKey: ['inspection', id, 'script', said.length, language, unit],
    enabled: told,
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/inspections/{inspection_id}/script', {
          signal,
          params: { path: { inspection_id: id }, query: { lang: language, unit } },
        }),
      ),
    staleTime: Infinity,
    retry: false,
  })
  useEffect(() => {
    if (server.data) void inspections.follow(id, server.data)
  }, [inspections, id, server.data])
  const alone = live !== undefined && said.length > 0 && (!told || server.isError)
  useEffect(() => {
    if (!live || !alone) return
    let wanted = true
    inspectionScriptHere(inspectionRecordOf(live), language, unit).then(
      (script) => void (wanted && inspections.follow(id, script)),
      () => undefined,
    )
    return () => void (wanted = false)
    // the marks themselves do not matter here, only what was said of the set
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [said.length, alone, language, unit])
}
