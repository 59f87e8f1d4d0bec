import { useTranslation } from '../../shared/i18n/useTranslation'
import { useFigures } from '../../shared/figures/useFigures'
import { useWaitingActs } from '../../run'
import { Button } from '../../shared/ui'

/** What was done here and is not with the server: it waits, or was not taken, with the reason. */
export function WaitingActs({ partIds }: { partIds?: string[] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { acts, dismiss } = useWaitingActs()
  const mine = acts.filter(({ act }) => !partIds || partIds.includes(act.part.id))
  if (mine.length === 0) return null
  return (
    <ul className="mb-4 border-l-4 border-amber bg-sheet px-4 py-2">
      {mine.map(({ id, act, about, delivery, why }) => (
        <li key={id} data-act={delivery} className="flex flex-wrap items-center gap-x-4">
          <b>
            {about}: {t(`acts.type.${act.type}`)}
          </b>
          <span>{String(act.body.what ?? act.body.did ?? act.body.reason ?? '')}</span>
          <span className="text-soft">{figures.when(act.at.wall)}</span>
          {delivery === 'waiting' ? (
            <span className="text-soft">{t('acts.waiting')}</span>
          ) : (
            <>
              <span role="alert" className="font-semibold text-clay">
                {t('acts.aside')}: {why}
              </span>
              <Button onClick={() => dismiss(id)}>{t('acts.dismiss')}</Button>
            </>
          )}
        </li>
      ))}
    </ul>
  )
}
