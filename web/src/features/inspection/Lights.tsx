import { useEffect, useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Body, DeviceMark } from '../../device'
import { isAnswered, type Ask, type InspectionHere } from '../../run'
import type { Schema } from '../../shared/api'
import { Button } from '../../shared/ui'
import { ItemCard } from '../../run'

type Call = Schema['CallOut']

interface LightsProps {
  here: InspectionHere
  onMark: (bodies: Body[]) => void
  onHelp: () => void
  onDone: () => void
}

/** The calls that have lamps on this set, in order. */
export const callsOf = ({ live }: Pick<InspectionHere, 'live'>): Call[] =>
  live.inspection.script.calls.filter(({ asks }) => asks.length > 0)

const openOf = (here: InspectionHere, call: Call): string[] =>
  call.asks.filter((key) => !isAnswered(here.fold, key))

/** The lights, call by call: the driver calls, whoever looks answers, then the next. */
export function Lights({ here, onMark, onHelp, onDone }: LightsProps) {
  const { t } = useTranslation()
  const { live, fold } = here
  const { script } = live.inspection
  const calls = callsOf(here)
  const [method, setMethod] = useState<string>()
  const chosen = script.methods.find(({ id }) => id === method)
  const now = calls.find(({ id }) => id === fold.call?.call)
  const called = new Set(calls.flatMap(({ asks }) => asks))
  const rest = script.asks.filter(
    ({ station, key }) => station === 'lights' && !called.has(key) && !isAnswered(fold, key),
  )
  const next = calls.find((call) => call.id !== now?.id && openOf(here, call).length > 0)
  if (now && fold.call) {
    return (
      <CallCard
        key={now.id}
        {...{ here, onMark }}
        call={now}
        began={fold.call}
        onNext={() => onMark([{ type: 'called', call: next?.id ?? '' }])}
      />
    )
  }
  if (next) {
    return (
      <section className="grid gap-3">
        <h2 className="text-title">{t('inspection.lights.how')}</h2>
        <p className="text-note text-soft">{t('inspection.lights.air')}</p>
        {script.methods.map(({ id, name }) => (
          <Button
            key={id}
            aria-pressed={method === id}
            className={`min-h-14 text-left ${method === id ? 'bg-ink! text-on-ink!' : ''}`}
            onClick={() => {
              setMethod(id)
              if (id === 'helper_device') onHelp()
            }}
          >
            {name}
          </Button>
        ))}
        {chosen?.how && <p>{chosen.how}</p>}
        <Button
          tone="air"
          disabled={!method}
          className="min-h-16 text-lead"
          onClick={() =>
            onMark([
              ...(chosen?.opens ? [{ type: 'put', what: chosen.opens }] : []),
              { type: 'called', call: next.id },
            ])
          }
        >
          {t('inspection.lights.begin')}
        </Button>
      </section>
    )
  }
  const [ask] = rest
  if (ask) {
    const step = { kind: 'ask' as const, id: ask.key, station: 'lights', asks: [ask] as [Ask] }
    return (
      <ItemCard
        key={ask.key}
        {...{ script, step, fold, onMark }}
        purpose={String(live.inspection.record.purpose)}
      />
    )
  }
  return (
    <section className="grid gap-3">
      <p className="text-lead">{t('inspection.lights.done')}</p>
      <Button tone="air" className="min-h-14" onClick={onDone}>
        {t('inspection.lights.next')}
      </Button>
    </section>
  )
}

interface CallCardProps {
  here: InspectionHere
  call: Call
  began: DeviceMark
  onMark: (bodies: Body[]) => void
  /** Who leads goes on; a helper never does. */
  onNext?: () => void
}

/** One call: the lamps it is about, and the answer. Nothing is taken as right before somebody could have looked. */
export function CallCard({ here, call, began, onMark, onNext }: CallCardProps) {
  const { t } = useTranslation()
  const { script } = here.live.inspection
  const waited = useSeconds(began)
  const [which, setWhich] = useState(false)
  const open = openOf(here, call)
  const asks = script.asks.filter(({ key }) => call.asks.includes(key))
  const by = here.state?.items.find(({ key, by: name }) => call.asks.includes(key) && name)?.by
  const tooSoon = waited < call.wait_s
  const name = (ask: Ask) => [script.items[ask.item]?.name, ask.where].filter(Boolean).join(', ')
  return (
    <section data-call={call.id} className="grid gap-3">
      <p className="text-note text-soft">{t(`inspection.lights.${call.position}`)}</p>
      <h2 className="text-bar leading-tight">{call.say}</h2>
      <ul>
        {asks.map((ask) => (
          <li key={ask.key}>
            {which && open.includes(ask.key) ? (
              <Button
                tone="clay"
                className="mb-2 min-h-14 w-full text-left"
                onClick={() => {
                  setWhich(false)
                  const wrong = script.items[ask.item]?.checks[0]
                  onMark([
                    {
                      ...{ type: 'answer', asks: [ask.key], answer: 'not_right' },
                      ...{ wrong: wrong ? [wrong] : [], defect: crypto.randomUUID() },
                    },
                  ])
                }}
              >
                {name(ask)}
              </Button>
            ) : (
              <span className={open.includes(ask.key) ? '' : 'text-soft line-through'}>{name(ask)}</span>
            )}
          </li>
        ))}
      </ul>
      {open.length > 0 ? (
        <>
          <Button
            disabled={tooSoon}
            className="min-h-16 bg-ink! text-lead text-on-ink!"
            onClick={() => onMark([{ type: 'answer', asks: open, answer: 'right' }])}
          >
            {tooSoon
              ? t('inspection.lights.wait', { seconds: Math.ceil(call.wait_s - waited) })
              : t('inspection.lights.allRight')}
          </Button>
          <Button className="min-h-14 text-clay" onClick={() => setWhich(!which)}>
            {t('inspection.lights.which')}
          </Button>
          {waited > call.answer_within_s && onNext && (
            <p role="status" className="font-semibold">
              {t('inspection.lights.silent')}
            </p>
          )}
          {onNext && (
            <Button className="min-h-14" onClick={() => onMark([{ type: 'called', call: call.id }])}>
              {t('inspection.lights.again')}
            </Button>
          )}
        </>
      ) : (
        <>
          {by && <p className="font-semibold">{t('inspection.lights.answeredBy', { by })}</p>}
          {onNext && (
            <Button tone="air" className="min-h-16 text-lead" onClick={onNext}>
              {t('inspection.lights.next')}
            </Button>
          )}
        </>
      )}
    </section>
  )
}

/** Seconds since a call came onto this screen. */
function useSeconds(began: DeviceMark): number {
  const [seconds, setSeconds] = useState(0)
  const { id } = began
  useEffect(() => {
    const since = performance.now()
    const timer = setInterval(() => setSeconds((performance.now() - since) / 1000), 250)
    return () => clearInterval(timer)
  }, [id])
  return seconds
}
