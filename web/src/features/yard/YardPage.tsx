import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { aboutQuery, unitsQuery } from '../../shared/api'
import { usePreferences } from '../../shared/preferences'
import { useSession } from '../../shared/session'
import { knowScripts, saveJudge } from '../../device'
import { useWaitingActs } from '../../run'
import { Notice } from '../../shared/ui'
import { JoinTest } from './JoinTest'
import { LeftOpen } from './LeftOpen'
import { OpenInspections } from './OpenInspections'
import { Gate } from './Gate'
import { UnitRows } from './UnitRows'
import { useFailedHere } from './useFailedHere'
import { onYard } from './yard'

/** So many units fit a picture in which each is a column; more are a list. */
const MOST_COLUMNS = 40

/** The fleet's status at a glance: what stays, what may leave, in the order in which it falls due. */
export function YardPage() {
  const { t } = useTranslation()
  const { data, error, refetch, dataUpdatedAt } = useQuery(unitsQuery())
  const about = useQuery(aboutQuery()).data
  const here = useFailedHere(dataUpdatedAt)
  const { preferences } = usePreferences()
  const { me } = useSession()
  const [search, setSearch] = useState('')
  const queries = useQueryClient()
  useWaitingActs()
  // every unit on the yard can be tested later without contact
  useEffect(() => {
    if (data)
      void knowScripts(queries)
        .then(saveJudge)
        .catch(() => undefined)
  }, [data, queries])
  if (!data) return <Notice error={error} onRetry={() => void refetch()} />
  // a manager looks at the fleet, everybody else at what they drove last
  const { person } = me
  const all = onYard(data, here, person?.role === 'manager' ? undefined : person?.name)
  const word = search.trim().toLocaleLowerCase(preferences.language)
  const units = word ? all.filter(({ words }) => words.includes(word)) : all
  const [staying, drivable] = [units.filter(({ stays }) => stays), units.filter(({ stays }) => !stays)]
  const stays = all.filter((unit) => unit.stays).length
  const due = all.filter(({ unit }) => unit.status?.status === 'due').length
  return (
    <>
      {person?.role === 'manager' && about?.copies_late && (
        <p data-copies-late className="mt-4 border-l-4 border-clay pl-3 font-semibold">
          {t('yard.copiesLate')}
        </p>
      )}
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-2 pt-5 pb-3">
        <h1 className="text-title">{t('yard.title')}</h1>
        <p className="flex flex-wrap gap-x-4">
          <span>{t('yard.mayLeave', { count: all.length - stays })}</span>
          {stays > 0 && <b className="text-clay">{t('yard.stays', { count: stays })}</b>}
          {due > 0 && <b>{t('yard.due', { count: due })}</b>}
        </p>
        <input
          type="search"
          value={search}
          aria-label={t('yard.find')}
          placeholder={t('yard.find')}
          maxLength={60}
          onChange={(event) => setSearch(event.target.value)}
          className="min-h-touch min-w-0 border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft max-sm:w-full"
        />
        <Link
          to="/gate"
          className="inline-flex min-h-touch items-center text-air underline underline-offset-4 max-sm:hidden"
        >
          {t('yard.gateTitle')}
        </Link>
        <Link
          to="/units"
          className="inline-flex min-h-touch items-center text-air underline underline-offset-4 sm:hidden"
        >
          {t('units.title')}
        </Link>
        <Link
          to="/practice"
          className="inline-flex min-h-touch items-center text-air underline underline-offset-4 sm:hidden"
        >
          {t('app.practice')}
        </Link>
        <JoinTest />
      </div>
      <LeftOpen />
      <OpenInspections />
      {all.length === 0 ? (
        <p className="py-8 text-lead">{t('yard.empty')}</p>
      ) : units.length === 0 ? (
        <p className="py-8 text-lead">{t('yard.nothingFound')}</p>
      ) : all.length > MOST_COLUMNS ? (
        <UnitRows {...{ staying, drivable }} now={dataUpdatedAt} />
      ) : (
        <>
          <div className="max-lg:hidden">
            <Gate {...{ staying, drivable }} now={dataUpdatedAt} />
          </div>
          <div className="lg:hidden">
            <UnitRows {...{ staying, drivable }} now={dataUpdatedAt} />
          </div>
        </>
      )}
    </>
  )
}
