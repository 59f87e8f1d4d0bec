import type { Stage } from '../../shared/trade'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { unitsQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { knowScripts, keepJudge } from '../../device'
import { MiniColumn, Notice, OutcomeMark } from '../../shared/ui'
import { JoinTest } from './JoinTest'
import { LeftOpen } from './LeftOpen'
import { useFailedHere } from './useFailedHere'

type Unit = Schema['YardUnitOut']

type Failed = Record<string, Stage[]>

/** What stands failed of a unit: as the server says, and as this device judged what the server has not heard yet. */
const failedOf = (unit: Unit, here: Failed): Stage[] => [
  ...new Set([...unit.failed.map(({ stage }) => stage), ...(here[unit.id] ?? [])]),
]

export function YardPage() {
  const { t } = useTranslation()
  const { data, error, refetch, dataUpdatedAt } = useQuery(unitsQuery())
  const here = useFailedHere(dataUpdatedAt)
  const failed = (unit: Unit): boolean => failedOf(unit, here).length > 0
  const queries = useQueryClient()
  // every unit on the yard can be tested later without contact
  useEffect(() => {
    if (data)
      void knowScripts(queries)
        .then(keepJudge)
        .catch(() => undefined)
  }, [data, queries])
  if (!data) return <Notice error={error} onRetry={() => void refetch()} />
  // what must not drive stands first
  const units = [...data].sort((a, b) => Number(failed(b)) - Number(failed(a)))
  const failing = units.filter(failed).length
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-2 pt-5 pb-3">
        <h1 className="text-title">{t('yard.title')}</h1>
        <p className="text-soft">
          {t('yard.summary', { count: units.length })}
          {failing > 0 && <b className="text-clay">, {t('yard.failing', { count: failing })}</b>}
        </p>
        <JoinTest />
      </div>
      <LeftOpen />
      {units.length === 0 ? (
        <p className="py-8 text-lead">{t('yard.empty')}</p>
      ) : (
        <table className="w-full border-collapse">
          <thead className="text-left text-note text-soft max-md:sr-only">
            <tr className="border-b-[1.5px] border-ink">
              <th className="w-14 py-1.5" />
              <th className="pr-3 font-semibold">{t('yard.unit')}</th>
              <th className="pr-3 font-semibold">{t('yard.last')}</th>
              <th className="pr-6 text-right font-semibold">{t('yard.lost')}</th>
              <th className="pr-3 font-semibold">{t('yard.outcome')}</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {units.map((unit) => (
              <UnitRow key={unit.id} unit={unit} failed={failedOf(unit, here)} />
            ))}
          </tbody>
        </table>
      )}
    </>
  )
}

function UnitRow({ unit, failed }: { unit: Unit; failed: Stage[] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { latest } = unit
  const drop = latest?.drop_psi
  return (
    <tr className="h-15 border-b border-hair">
      <td className="w-14">{latest && <MiniColumn column={latest.column} />}</td>
      <th scope="row" className="pr-3 text-left font-bold">
        {unit.name}
        <span className="block text-note font-normal text-soft">{t(`kind.${unit.kind}`)}</span>
      </th>
      <td className="pr-3 max-md:hidden">
        {latest ? figures.when(latest.started_at) : <span className="text-soft">{t('yard.never')}</span>}
        {latest?.driver && <span className="block text-note text-soft">{latest.driver}</span>}
      </td>
      <td className="pr-6 text-right whitespace-nowrap max-sm:hidden">
        {drop != null && (
          <>
            <span className="num text-figure">{figures.amount(drop)}</span>{' '}
            <span className="text-note text-soft">{figures.difference(drop).split(' ')[1]}</span>
          </>
        )}
      </td>
      <td className="pr-3">
        {latest && (
          <Link
            to={`/runs/${latest.run_id}`}
            aria-label={t('yard.sheet', { unit: unit.name })}
            className="inline-flex min-h-touch flex-wrap items-center gap-x-3 underline-offset-4 hover:underline"
          >
            <OutcomeMark outcome={latest.outcome} closeCall={latest.close_call} />
          </Link>
        )}
        {failed.length > 0 && (
          <Link
            to={`/runs/${unit.failed[0]?.run_id ?? latest?.run_id ?? ''}`}
            data-failed={failed.join(' ')}
            className="block text-clay underline-offset-4 hover:underline"
          >
            <b>{t('yard.doNotDrive')}</b>
            <span className="text-note">: {failed.map((stage) => t(`step.${stage}`)).join(', ')}</span>
          </Link>
        )}
      </td>
      <td className="w-24 text-right">
        <Link
          to={`/test/new/${unit.id}`}
          aria-label={t('yard.startFor', { unit: unit.name })}
          className="inline-grid min-h-touch w-24 place-items-center border-[1.5px] border-air bg-sheet font-semibold text-air hover:bg-air hover:text-on-air"
        >
          {t('yard.start')}
        </Link>
      </td>
    </tr>
  )
}
