import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Body } from '../../device'
import type { InspectionHere } from '../../run'
import { Button } from '../../shared/ui'

interface FinishProps {
  here: InspectionHere
  left: number
  onMark: (bodies: Body[]) => void
  onBack: () => void
}

/** What must come back, what is not right, and the deliberate end. */
export function Finish({ here, left, onMark, onBack }: FinishProps) {
  const { t } = useTranslation()
  const { state } = here
  const wrong = (state?.items ?? []).filter(({ outcome }) => outcome === 'not_right')
  const bring = (state?.bring_back ?? []).filter(({ id }) => !here.fold.brought.has(id))
  return (
    <section className="grid gap-4">
      <h2 className="text-title">{left ? t('inspection.finish') : t('inspection.allSeen')}</h2>
      {wrong.length > 0 ? (
        <ul className="grid gap-2">
          {wrong.map((one) => (
            <li key={one.key} className="border-l-8 border-clay bg-sheet px-3 py-2">
              <b>{one.not_so}</b> <span className="text-soft">{one.where}</span>
              {one.consequence && <span className="block">{t(`acts.consequence.${one.consequence}`)}</span>}
            </li>
          ))}
        </ul>
      ) : (
        left === 0 && <p className="text-lead">{t('inspection.clear')}</p>
      )}
      {bring.length > 0 && (
        <div role="group" aria-label={t('inspection.bringBack')} className="grid gap-2">
          <b>{t('inspection.bringBack')}</b>
          {bring.map(({ id, name }) => (
            <button
              key={id}
              type="button"
              data-bring={id}
              onClick={() => onMark([{ type: 'brought', what: id }])}
              className="flex min-h-14 items-center gap-3 border-[1.5px] border-amber bg-sheet px-3 text-left"
            >
              <i aria-hidden className="size-4 shrink-0 border-2 border-current" />
              {name}
            </button>
          ))}
        </div>
      )}
      {left > 0 && <p className="text-soft">{t('inspection.finishSure')}</p>}
      <Button tone="air" className="min-h-16 text-lead" onClick={() => onMark([{ type: 'finished' }])}>
        {left ? t('inspection.finishOpen', { count: left }) : t('inspection.finish')}
      </Button>
      {left > 0 && (
        <button type="button" onClick={onBack} className="min-h-touch underline underline-offset-4">
          {t('inspection.cancel')}
        </button>
      )}
    </section>
  )
}
