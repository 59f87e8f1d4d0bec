import { useTranslation } from 'react-i18next'
import type { RoundHere } from '../../run'
import { CallCard, callsOf } from './Lights'

/** What a helper's device shows: the call as the driver made it, and three answers. It commands nobody. */
export function HelperView({ here }: { here: RoundHere }) {
  const { t } = useTranslation()
  const { live, fold } = here
  const { driver = '' } = (live.round.record.people ?? {}) as { driver?: string }
  const call = callsOf(here).find(({ id }) => id === fold.call?.call)
  return (
    <main className="flex min-h-dvh flex-col px-4 py-4">
      <p className="border-b-2 border-ink pb-2">
        <b>{live.round.unitName}</b> {t('round.helping', { driver })}
      </p>
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
            {t('round.helperWait')}
          </p>
        )}
      </div>
      <p className="text-note text-soft">{t('round.helperNothing', { driver })}</p>
    </main>
  )
}
