import { useQuery } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { unitsQuery } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, Notice, StatusMark } from '../../shared/ui'

/** The list for the gate: what may leave and what stays, to be printed and hung up. */
export function GatePage() {
  const { t } = useTranslation()
  const figures = useFigures()
  const { data, error, refetch, dataUpdatedAt } = useQuery(unitsQuery())
  if (!data) return <Notice error={error} onRetry={() => void refetch()} />
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4 pt-5 pb-3">
        <h1 className="text-title">{t('yard.gateTitle')}</h1>
        <p className="text-soft">{figures.date(new Date(dataUpdatedAt).toISOString())}</p>
        <a
          href="/api/status.csv"
          download
          className="no-print ml-auto inline-grid min-h-touch place-items-center border-[1.5px] border-ink bg-sheet px-4 font-semibold"
        >
          {t('yard.csv')}
        </a>
        <Button className="no-print" onClick={() => window.print()}>
          {t('report.print')}
        </Button>
      </div>
      <table className="w-full border-collapse">
        <thead className="text-left text-note text-soft">
          <tr className="border-b-[1.5px] border-ink">
            <th className="py-1.5 font-semibold">{t('yard.unit')}</th>
            <th className="font-semibold">{t('units.state')}</th>
            <th className="font-semibold">{t('yard.why')}</th>
            <th className="font-semibold">{t('status.due')}</th>
          </tr>
        </thead>
        <tbody>
          {data.map((unit) => {
            const status = unit.status
            if (!status) return null
            const why = [...status.holds, ...status.defects.filter(({ closed }) => !closed)]
              .map(({ text }) => text)
              .join('; ')
            return (
              <tr key={unit.id} className="border-b border-hair break-inside-avoid">
                <th scope="row" className="py-2 pr-4 text-left align-top">
                  {unit.name}
                  <span className="block text-note font-normal text-soft">{unit.trailers.join(', ')}</span>
                </th>
                <td className="py-2 pr-4 align-top whitespace-nowrap">
                  <StatusMark status={status.status} stays={status.stays} />
                </td>
                <td className="py-2 pr-4 align-top">{why}</td>
                <td className="py-2 align-top whitespace-nowrap">
                  {status.due_at && figures.lastDay(status.due_at)}
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </>
  )
}
