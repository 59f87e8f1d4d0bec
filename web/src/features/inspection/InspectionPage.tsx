import { useState } from 'react'
import { Link, Navigate, useParams, useSearchParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Body, Recorder } from '../../device'
import {
  isDone,
  ItemCard,
  nextOpen,
  Answered,
  useRecorder,
  useInspection,
  type Ask,
  type InspectionHere,
  type InspectionStep,
} from '../../run'
import { PreferencesMenu } from '../../shared/preferences/PreferencesMenu'
import { Button, Modal, Notice } from '../../shared/ui'
import { Figure } from './Figure'
import { Finish } from './Finish'
import { HelperView } from './HelperView'
import { LetHelp } from './LetHelp'
import { Lights } from './Lights'
import { Memory } from './Memory'

/** An inspection as it is done: one thing at a time, on a path around the vehicle. */
export function InspectionPage() {
  const { inspectionId = '' } = useParams()
  const { t } = useTranslation()
  const device = useRecorder()
  if ('refusal' in device) {
    return <p className="p-6 font-semibold text-clay">{t('setup.storage', { why: device.refusal })}</p>
  }
  return <Inspection key={inspectionId} recorder={device.recorder} inspectionId={inspectionId} />
}

function Inspection({ recorder, inspectionId }: { recorder: Recorder; inspectionId: string }) {
  const { t } = useTranslation()
  const here = useInspection(recorder, inspectionId)
  if (here === 'loading') return <Notice />
  if (here === 'gone') {
    return (
      <div className="p-6">
        <p className="text-lead">{t('inspection.gone')}</p>
        <Link to="/" className="font-semibold text-air underline">
          {t('app.toYard')}
        </Link>
      </div>
    )
  }
  if (here.live.inspection.closed || here.fold.ended)
    return <Navigate to={`/inspections/${inspectionId}`} replace />
  if (here.live.inspection.part === 'help') return <HelperView here={here} />
  return <Going {...{ recorder, here }} />
}

/** Where the light calls stand on the path. */
const LIGHTS = 'lights'

function Going({ recorder, here }: { recorder: Recorder; here: InspectionHere }) {
  const { t } = useTranslation()
  const { live, fold, steps, state } = here
  const { inspection } = live
  const { script } = inspection
  const [search] = useSearchParams()
  const [asked, setAsked] = useState(() => {
    const wanted = steps.find(
      (one) => one.kind !== 'fact' && one.asks.some(({ key }) => key === search.get('item')),
    )
    return (wanted ?? steps[Math.max(0, nextOpen(fold, steps, 0))])?.id ?? ''
  })
  // steps come and go with what is said of the set: a place among them is nobody's for long
  const found = steps.findIndex(({ id }) => id === asked)
  const at = found >= 0 ? found : Math.max(0, nextOpen(fold, steps, 0))
  const setAt = (place: number) => setAsked(steps[place]?.id ?? '')
  const [shown, setShown] = useState<'item' | 'stops' | 'finish' | 'help'>('item')
  const [unkept, setUnkept] = useState(false)
  const [memory, setMemory] = useState(false)
  const step = steps[at]
  const purpose = String(inspection.record.purpose)
  const left = steps.filter((one) => !isDone(fold, one)).length
  const stop = script.stations.find(({ id }) => id === step?.station)
  const now = step && step.kind !== 'fact' ? step.asks[0] : undefined
  const bad = badKeys(here)
  const mark = (bodies: Body[], goOn = true) => {
    setUnkept(false)
    const answered = bodies.some(({ type }) => type === 'answer' || type === 'fact')
    here.mark(bodies).then(
      () => answered && goOn && step && setAt(after(here, bodies, at)),
      () => setUnkept(true),
    )
  }
  const photos = (defect: string, ask: Ask, taken: Blob[]) => {
    const { id, trailers } = inspection.record.unit as { id: string; trailers: { id: string }[] }
    const trailer = ask.vehicle ? trailers[ask.vehicle - 1] : undefined
    const part = trailer ? { kind: 'trailer' as const, id: trailer.id } : { kind: 'unit' as const, id }
    void recorder
      .inspections()
      .then((inspections) => inspections.photograph(defect, inspection.unitName, part, taken))
  }
  const isLights = stop?.id === LIGHTS
  return (
    <div className="flex h-dvh flex-col">
      <header className="flex min-h-14 items-center gap-x-3 border-b-2 border-ink px-3 sm:px-5">
        <h1 className="sr-only">
          {t('inspection.title')}, {inspection.unitName}
        </h1>
        <b className="whitespace-nowrap">{inspection.unitName}</b>
        <button
          type="button"
          onClick={() => setShown('stops')}
          className="min-h-touch min-w-touch whitespace-nowrap underline decoration-line underline-offset-4"
        >
          {t('inspection.stopOf', {
            at: script.stations.findIndex(({ id }) => id === stop?.id) + 1,
            of: script.stations.length,
          })}
        </button>
        <span data-left={left} className="text-note text-soft whitespace-nowrap">
          {t('inspection.left', { count: left })}
        </span>
        <span className="ml-auto flex items-center gap-x-1 sm:gap-x-4">
          <span data-saved={!live.events.some(({ delivery }) => delivery === 'waiting')} className="sr-only">
            {t('inspection.answered')}
          </span>
          <PreferencesMenu />
          <Link
            to={inspection.runId ? `/test/${inspection.runId}` : '/'}
            className="inline-flex min-h-touch min-w-touch items-center justify-end text-soft underline underline-offset-4"
          >
            {inspection.runId ? t('inspection.toTest') : t('app.yard')}
          </Link>
        </span>
      </header>
      {state?.worst === 'stay' && (
        <p role="status" data-stays className="bg-clay px-4 py-1.5 font-bold text-on-clay">
          {t('inspection.stays')}
        </p>
      )}
      <div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)] grid-rows-[auto_1fr] md:grid-cols-[minmax(0,1fr)_minmax(380px,520px)] md:grid-rows-1">
        <div className="min-h-0 min-w-0 md:overflow-y-auto md:border-r md:border-line">
          <Figure {...{ script, fold, bad, now, stop }} onClick={() => setShown('stops')} />
          <Strip {...{ here, steps, step }} onGo={setAt} />
          <div className="grid gap-2 p-4 max-md:hidden">
            <Stops {...{ here }} now={stop?.id ?? ''} onGo={(n) => setAt(n)} />
          </div>
        </div>
        <main className="min-h-0 overflow-y-auto px-4 py-4 sm:px-6">
          {unkept && (
            <p role="alert" className="mb-3 bg-clay px-3 py-2 font-bold text-on-clay">
              {t('inspection.unkept')}
            </p>
          )}
          {shown === 'finish' || left === 0 ? (
            <Finish
              {...{ here, left }}
              onBack={() => setShown('item')}
              onMark={(bodies) => mark(bodies, false)}
            />
          ) : isLights ? (
            <Lights
              {...{ here }}
              onMark={(bodies) => mark(bodies, false)}
              onHelp={() => setShown('help')}
              onDone={() => setAt(Math.max(0, nextOpen(fold, steps, at)))}
            />
          ) : step ? (
            <Memory
              key={step.id}
              on={memory && step.kind === 'ask'}
              {...{ step, script }}
              onMark={(bodies) => mark(bodies, false)}
            >
              <ItemCard key={step.id} {...{ script, step, fold, purpose }} onMark={mark} onPhotos={photos} />
            </Memory>
          ) : null}
        </main>
      </div>
      <footer className="flex border-t-2 border-ink">
        <Button
          className="min-h-16 grow border-0 border-r-[1.5px]!"
          onClick={() => (shown === 'item' ? setAt(Math.max(0, at - 1)) : setShown('item'))}
        >
          {t('inspection.back')}
        </Button>
        {purpose !== 'dispatch' && (
          <Button
            aria-pressed={memory}
            className={`min-h-16 grow border-0 border-r-[1.5px]! ${memory ? 'bg-ink! text-on-ink!' : ''}`}
            onClick={() => setMemory(!memory)}
          >
            {t('inspection.memory')}
          </Button>
        )}
        <Button
          tone={left === 0 ? 'air' : 'plain'}
          className="min-h-16 grow border-0"
          onClick={() => setShown('finish')}
        >
          {t('inspection.finish')}
        </Button>
      </footer>
      <Modal title={t('inspection.stops')} open={shown === 'stops'} onClose={() => setShown('item')}>
        <Stops
          {...{ here }}
          now={stop?.id ?? ''}
          onGo={(n) => {
            setAt(n)
            setShown('item')
          }}
        />
        <Button className="mt-4 min-h-14 w-full" onClick={() => setShown('help')}>
          {t('inspection.helper')}
        </Button>
      </Modal>
      {shown === 'help' && <LetHelp inspectionId={inspection.id} onClose={() => setShown('item')} />}
    </div>
  )
}

/** What is not right, as far as anybody has said or judged. */
function badKeys({ fold, state }: Pick<InspectionHere, 'fold' | 'state'>): Set<string> {
  const said = [...fold.told].filter(([, { answer }]) => ['not_right', 'still', 'worse'].includes(answer))
  const judged = (state?.items ?? []).filter(({ outcome }) => outcome === 'not_right')
  return new Set([...said.map(([key]) => key), ...judged.map(({ key }) => key)])
}

/** The next thing that is open once these marks are known. */
function after({ fold, steps }: InspectionHere, bodies: Body[], at: number): number {
  const asks = new Set(bodies.flatMap(({ asks }) => (asks as string[] | undefined) ?? []))
  const told = new Map(fold.told)
  for (const { answer, asks: of } of bodies as { answer?: string; asks?: string[] }[]) {
    if (!answer || answer === 'later') continue
    for (const key of of ?? []) told.set(key, { answer: answer as 'right', mark: '', waiting: true })
  }
  const facts = new Set(fold.facts)
  for (const { type, part, fact } of bodies) if (type === 'fact') facts.add(`${String(part)} ${String(fact)}`)
  const known = { ...fold, told, facts }
  const here = steps[at]
  const stays = here && !isDone(known, here) && asks.size > 0 && here.kind === 'block'
  return stays ? at : Math.max(0, nextOpen(known, steps, at + 1))
}

/** What is asked at this stop, as a row of shapes; any of them is a touch away. */
function Strip({
  here,
  steps,
  step,
  onGo,
}: {
  here: InspectionHere
  steps: InspectionStep[]
  step: InspectionStep | undefined
  onGo: (at: number) => void
}) {
  const { t } = useTranslation()
  const bad = badKeys(here)
  const stop = here.live.inspection.script.stations.find(({ id }) => id === step?.station)
  return (
    <nav aria-label={t('inspection.strip')} className="border-b border-line px-3 py-1">
      <b className="text-note">{stop?.name}</b>
      <ol className="flex overflow-x-auto">
        {steps.map((one, n) => {
          if (one.station !== step?.station) return null
          const key = one.kind === 'fact' ? '' : (one.asks[0]?.key ?? '')
          const told = here.fold.told.get(key)?.answer
          const shape = isDone(here.fold, one) ? (told ?? 'right') : undefined
          const isBad = one.kind !== 'fact' && one.asks.some((ask) => bad.has(ask.key))
          return (
            <li key={one.id}>
              <button
                type="button"
                aria-label={nameOf(here, one)}
                aria-current={one === step ? 'step' : undefined}
                ref={one === step ? inSight : undefined}
                onClick={() => onGo(n)}
                className={`grid min-h-touch w-12 place-items-center ${one === step ? 'border-b-4 border-air' : ''}`}
              >
                <Answered told={isBad ? 'not_right' : shape} />
              </button>
            </li>
          )
        })}
      </ol>
    </nav>
  )
}

/** Keep what is asked now in sight of its row, without moving the page. */
function inSight(button: HTMLElement | null): void {
  const row = button?.closest('ol')
  if (button && row) row.scrollLeft = button.offsetLeft - row.clientWidth / 2
}

function nameOf({ live }: InspectionHere, step: InspectionStep): string {
  if (step.kind === 'fact') return step.wanted.ask
  const [ask] = step.asks
  const item = ask && live.inspection.script.items[ask.item]
  return ask && item ? [item.name, ask.where].filter(Boolean).join(', ') : step.id
}

/** Every stop with what is done there; a touch goes there. */
function Stops({ here, now, onGo }: { here: InspectionHere; now: string; onGo: (at: number) => void }) {
  const { t } = useTranslation()
  const { live, fold, steps } = here
  const bad = badKeys(here)
  return (
    <ol className="grid">
      {live.inspection.script.stations.map(({ id, name }) => {
        const mine = steps.filter(({ station }) => station === id)
        const done = mine.filter((one) => isDone(fold, one)).length
        const wrong = mine.some((one) => one.kind !== 'fact' && one.asks.some(({ key }) => bad.has(key)))
        const open = steps.findIndex((one) => one.station === id && !isDone(fold, one))
        return (
          <li key={id} className="border-b border-line">
            <button
              type="button"
              aria-current={id === now ? 'step' : undefined}
              onClick={() => onGo(open >= 0 ? open : steps.findIndex(({ station }) => station === id))}
              className={`flex min-h-touch w-full items-center gap-3 text-left ${id === now ? 'font-bold' : ''}`}
            >
              <Answered told={wrong ? 'not_right' : done === mine.length ? 'right' : undefined} />
              <span className="grow">{name}</span>
              <span className="num text-soft">{t('inspection.stopLeft', { done, of: mine.length })}</span>
            </button>
          </li>
        )
      })}
    </ol>
  )
}
