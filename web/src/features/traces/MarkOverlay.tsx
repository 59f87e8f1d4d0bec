import { useTranslation } from '../../shared/i18n/useTranslation'
import { clockFace } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import type { Judged } from './core'

/** A marked test laid over its own feed: each mark, how late it came, and what was read against what was shown. */
export function MarkOverlay({ judged }: { judged: Judged }) {
  const { t } = useTranslation()
  const figures = useFigures()
  if (judged.marks.length === 0) return null
  const values = (psi: number[] | null) => psi?.map((one) => figures.reading(one)).join(' · ') ?? '–'
  return (
    <div className="overflow-x-auto" tabIndex={0} data-laid-over>
      <h2 className="text-lead font-bold">{t('learn.beside.title')}</h2>
      <ol className="mt-1 flex flex-wrap gap-x-8 gap-y-1">
        {judged.marks.map(({ at_s, kind, which, late_s, typed_psi, shown_psi, quality }, n) => (
          <li key={n} data-quality={quality} className="inline-flex items-baseline gap-2">
            <span className="num text-soft">{clockFace(at_s)}</span>
            {t(
              `practice.truth.marks.${(kind === 'warning' || kind === 'popped' ? `${kind}_${which}` : kind) as 'cut_out'}`,
            )}
            {late_s !== null && (
              <b className={`num ${quality === 'good' ? '' : 'text-clay'}`}>
                {`${late_s > 0 ? '+' : ''}${figures.seconds(late_s)} s`.replace('-', '−')}
              </b>
            )}
            <span className="num">
              {values(typed_psi)} <span className="text-air">{values(shown_psi)}</span>
            </span>
          </li>
        ))}
      </ol>
    </div>
  )
}
