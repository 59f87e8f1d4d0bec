import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { LiveRun, Recorder } from '../../device'
import {
  isAnswered,
  ItemCard,
  listening,
  offered,
  useRecorder,
  useInspection,
  type InspectionStep,
} from '../../run'
import { inspectionStartQuery } from '../../shared/api'
import { Button } from '../../shared/ui'

const IN_CAB = 'in-cab'

export interface Filling {
  /** Since the engine began to fill [s]. */
  sinceS: number
  /** Until it should stop pumping [s]; null while nothing tells. */
  toBlastS: number | null
  refill: boolean
}

/** The inspection beside the air test: what may be looked at from the seat while the air builds, one thing at a time. */
export function InspectionDuringFill({ live, filling }: { live: LiveRun; filling: Filling }) {
  const device = useRecorder()
  if (!('recorder' in device)) return null
  return <FillInspection {...{ live, filling }} recorder={device.recorder} />
}

function FillInspection({
  live,
  filling,
  recorder,
}: {
  live: LiveRun
  filling: Filling
  recorder: Recorder
}) {
  const { t } = useTranslation()
  const { run } = live
  const [inspectionId, setInspectionId] = useState<string | null>()
  useEffect(() => {
    let wanted = true
    void recorder
      .inspections()
      .then((inspections) => inspections.known())
      .then((known) => wanted && setInspectionId(known.find(({ runId }) => runId === run.id)?.id ?? null))
    return () => void (wanted = false)
  }, [recorder, run.id])
  const start = useQuery(inspectionStartQuery(run.unitId, IN_CAB, run.setup.purpose)).data
  if (inspectionId) return <Offered {...{ live, filling, recorder, inspectionId }} />
  if (inspectionId === undefined || !start) return null
  const begin = async () => {
    const inspections = await recorder.inspections()
    const unit = { id: run.unitId, name: run.unitName }
    setInspectionId(await inspections.begin({ unit, start, driver: run.driver, runId: run.id }))
  }
  return (
    <Button className="justify-self-start" onClick={() => void begin().catch(() => undefined)}>
      {t('inspection.beginHere')}
    </Button>
  )
}

interface OfferedProps {
  live: LiveRun
  filling: Filling
  recorder: Recorder
  inspectionId: string
}

function Offered({ live, filling, recorder, inspectionId }: OfferedProps) {
  const { t } = useTranslation()
  const events = live.events.map(({ event }) => event)
  const here = useInspection(recorder, inspectionId, events)
  if (typeof here === 'string') return null
  const { fold, live: inspection, state } = here
  const { script } = inspection.inspection
  const asks = new Map(script.asks.map((ask) => [ask.key, ask]))
  const inOrder = script.filling.order.filter((key) => !isAnswered(fold, key))
  const left = inOrder.map((key) => ({
    name: key,
    fill: script.items[asks.get(key)?.item ?? '']?.fill ?? 'never',
    seconds: asks.get(key)?.seconds ?? 0,
  }))
  const moment = {
    fill: filling.refill ? ('refill' as const) : ('first' as const),
    sinceS: filling.sinceS,
    timed: false,
    toBlastS: filling.toBlastS,
    belowPsi: null,
  }
  const ask = asks.get(offered(script.filling, moment, left) ?? '')
  const [waiting] = inOrder
  const step: InspectionStep | null = ask
    ? { kind: 'ask', id: ask.key, station: ask.station, asks: [ask] }
    : null
  return (
    <section data-beside className="grid max-w-2xl gap-2 border-t border-line pt-2">
      <p className="flex flex-wrap items-center gap-x-2 text-note">
        <b>{t('inspection.inFill')}</b> {t('inspection.inCab')}{' '}
        <span className="text-soft">{t('inspection.left', { count: inOrder.length })}</span>
        {state?.worst === 'stay' && <b className="bg-clay px-2 text-on-clay">{t('inspection.stays')}</b>}
      </p>
      {step ? (
        <ItemCard
          key={step.id}
          {...{ script, step, fold }}
          brief
          purpose={String(inspection.inspection.record.purpose)}
          onMark={(bodies) => void here.mark(bodies)}
        />
      ) : (
        <p role="status" className="text-lead">
          {listening(script.filling, moment) && <b>{t('inspection.listen')} </b>}
          {waiting &&
            t('inspection.waits', { item: script.items[asks.get(waiting)?.item ?? '']?.name ?? '' })}
        </p>
      )}
    </section>
  )
}
