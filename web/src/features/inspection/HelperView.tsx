import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { InspectionHere } from '../../run'
import { SelectField } from '../../shared/ui'
import { CallCard, callsOf } from './Lights'

/** What a helper's device shows: the call as the driver made it, and three answers. It commands nobody. */
export function HelperView({ here }: { here: InspectionHere }) {
  const { t } = useTranslation()
  const { live, fold } = here
  const { driver = '' } = (live.inspection.record.people ?? {}) as { driver?: string }
  const call = callsOf(here).find(({ id }) => id === fold.call?.call)
  return (
    <main className="flex min-h-dvh flex-col px-4 py-4">
      <h1 className="border-b-2 border-ink pb-2 text-body font-normal">
        <b>{live.inspection.unitName}</b> {t('inspection.helping', { driver })}
      </h1>
      <div className="my-auto py-4">
        {call && fold.call ? (
          <CallCard
            key={`${call.id} ${fold.call.id}`}
            {...{ here, call }}
            began={fold.call}
            onMark={(bodies) => void here.mark(bodies)}
          />
        ) : (
          <p data-waiting className="text-title">
            {t('inspection.helperWait')}
          </p>
        )}
      </div>
      {live.inspection.record.purpose !== 'dispatch' && <Named here={here} />}
      <p className="text-note text-soft">{t('inspection.helperNothing', { driver })}</p>
    </main>
  )
}

/** Where somebody learns: what they name aloud is ticked, stop by stop. */
function Named({ here }: { here: InspectionHere }) {
  const { t } = useTranslation()
  const { script } = here.live.inspection
  const [stop, setStop] = useState(script.stations[0]?.id ?? '')
  const said = new Map<string, boolean>()
  for (const { event } of here.live.events) {
    if (event.type !== 'said') continue
    for (const key of event.asks as string[]) said.set(key, event.wrong !== true)
  }
  const asks = script.asks.filter(({ station }) => station === stop)
  return (
    <section className="grid gap-3 py-4">
      <h2 className="text-lead">{t('inspection.named')}</h2>
      <SelectField
        label={t('inspection.stops')}
        value={stop}
        className="block min-h-touch w-full border-[1.5px] border-ink bg-sheet px-3"
        options={script.stations.map(({ id, name }) => ({ value: id, text: name }))}
        onChange={(event) => setStop(event.target.value)}
      />
      <ul>
        {asks.map(({ key, item, where }) => {
          const name = [script.items[item]?.name, where].filter(Boolean).join(', ')
          return (
            <li key={key} className="flex items-center gap-2 border-b border-line">
              <span className="grow py-1">{name}</span>
              {([true, false] as const).map((right) => (
                <button
                  key={String(right)}
                  type="button"
                  aria-pressed={said.get(key) === right}
                  aria-label={`${t(right ? 'inspection.memorySaid' : 'inspection.memoryWrong')}: ${name}`}
                  onClick={() =>
                    void here.mark([{ type: 'said', asks: [key], ...(!right && { wrong: true }) }])
                  }
                  className={`min-h-touch min-w-touch border-[1.5px] border-ink font-bold ${said.get(key) === right ? 'bg-ink text-on-ink' : 'bg-sheet'}`}
                >
                  {right ? '✓' : '✗'}
                </button>
              ))}
            </li>
          )
        })}
      </ul>
    </section>
  )
}
