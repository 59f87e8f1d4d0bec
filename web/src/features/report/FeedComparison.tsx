import { useQuery } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { clockFace } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'

interface FeedComparisonProps {
  runId: string
  lastSeq: number
}

/** Each mark of a test beside what its live feed showed: how late it was marked, and what the needle read then. */
export function FeedComparison({ runId, lastSeq }: FeedComparisonProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const marks = useQuery({
    queryKey: ['beside', runId, lastSeq],
    queryFn: ({ signal }) =>
      need(api.GET('/api/runs/{run_id}/feed-comparison', { signal, params: { path: { run_id: runId } } })),
  }).data
  if (!marks || marks.length === 0) return null
  const values = (psi: number[] | null) => psi?.map((one) => figures.reading(one)).join(' · ') ?? '–'
  return (
    <section data-beside className="min-w-0 overflow-x-auto" tabIndex={0}>
      <h2 className="text-lead font-bold">{t('learn.beside.title')}</h2>
      <p className="text-note text-soft">{t('learn.beside.what')}</p>
      <table className="mt-2 w-full text-left">
        <thead className="text-note text-soft">
          <tr>
            <th className="font-normal" />
            <th className="text-right font-normal">{t('practice.truth.late')}</th>
            <th className="text-right font-normal">{t('practice.truth.read')}</th>
            <th className="text-right font-normal">{t('learn.beside.feed')}</th>
          </tr>
        </thead>
        <tbody>
          {marks.map(({ at_s, kind, which, late_s, typed_psi, shown_psi, quality }, n) => {
            const name = kind === 'warning' || kind === 'popped' ? `${kind}_${which}` : kind
            return (
              <tr key={n} data-quality={quality} className="border-t border-line">
                <th scope="row" className="py-1.5 pr-2 font-normal">
                  <span className="num mr-2 text-soft">{clockFace(at_s)}</span>
                  {t(`practice.truth.marks.${name as 'cut_out'}`)}
                  {quality !== 'good' && (
                    <b className="ml-2 text-clay">{t(`practice.truth.quality.${quality}`)}</b>
                  )}
                </th>
                <td className="num text-right">
                  {late_s === null
                    ? ''
                    : `${late_s > 0 ? '+' : ''}${figures.seconds(late_s)} s`.replace('-', '−')}
                </td>
                <td className="num text-right text-lead">{values(typed_psi)}</td>
                <td className="num text-right text-lead text-air">{values(shown_psi)}</td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </section>
  )
}
