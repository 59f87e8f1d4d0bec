import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate, useParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, unitQuery, type Schema } from '../../shared/api'
import { useMay } from '../../shared/session'
import { Button, FormError, Notice, StatusMark } from '../../shared/ui'
import { Course } from './Course'
import { Coupling } from './Coupling'
import { LastTests } from './LastTests'
import { LiveFeed } from './LiveFeed'
import { Papers } from './Papers'
import { Reservoirs } from './Reservoirs'
import { Inspections } from './Inspections'
import { partsOf, Status } from './Status'
import { Trends } from './Trends'
import { UnitDue } from './UnitDue'
import { UnitForm } from './UnitForm'

/** One unit: how it stands and what would change that, how its tests went, what happened to it, what it is. */
export function UnitPage() {
  const { unitId = '' } = useParams()
  const { t } = useTranslation()
  const isNew = unitId === 'new'
  const { data, error, refetch } = useQuery({ ...unitQuery(unitId), enabled: !isNew })
  const navigate = useNavigate()
  if (isNew) {
    return (
      <div className="max-w-3xl pt-5">
        <h1 className="mb-4 text-title">{t('units.add')}</h1>
        <UnitForm onSaved={(unit) => void navigate(`/units/${unit.id}`, { replace: true })} />
      </div>
    )
  }
  if (!data) return <Notice error={error} onRetry={() => void refetch()} />
  return <Known page={data} />
}

function Known({ page }: { page: Schema['UnitPageOut'] }) {
  const { t } = useTranslation()
  const { unit } = page
  const mayEdit = useMay('editUnit')
  return (
    <div className="grid grid-cols-1 gap-x-12 gap-y-8 pt-5 lg:grid-cols-[1fr_380px]">
      <div className="grid grid-cols-1 gap-6 lg:col-span-2">
        <div className="flex flex-wrap items-baseline gap-x-4">
          <h1 className="text-title">
            {unit.name} <span className="font-normal text-soft">{t(`kind.${unit.kind}`)}</span>
          </h1>
          {unit.retired ? (
            <b className="text-clay">{t('units.retired')}</b>
          ) : (
            <StatusMark status={page.status.status} stays={page.status.stays} large />
          )}
          {!unit.retired && (
            <Link
              to={`/inspection/new/${unit.id}`}
              className="ml-auto inline-flex min-h-touch items-center font-semibold text-air underline underline-offset-4"
            >
              {t('inspection.start')}
            </Link>
          )}
          <Link
            to={`/log?q=${encodeURIComponent(unit.name)}`}
            className="text-air underline underline-offset-4"
          >
            {t('units.runs')}
          </Link>
          <Link to={`/rules/card/${unit.id}`} className="text-air underline underline-offset-4">
            {t('units.card')}
          </Link>
        </div>
        <Status page={page} />
        <LastTests tests={page.tests} />
        <Trends unitId={unit.id} parts={partsOf(unit)} rules={unit.rules} />
      </div>
      <div>
        <Course unitId={unit.id} first={page.course} />
      </div>
      <aside className="grid content-start gap-8">
        {unit.power_kind === 'tractor' && !unit.retired && <Coupling key={unit.version} unit={unit} />}
        {!unit.retired && <UnitDue status={page.status} />}
        <Inspections unitId={unit.id} />
        {!unit.retired && <Papers unitId={unit.id} />}
        {!unit.retired && <LiveFeed unitId={unit.id} />}
      </aside>
      <div className="border-t border-line pt-6 lg:col-span-2 lg:max-w-3xl">
        <h2 className="mb-2 text-lead">{t('units.specification')}</h2>
        <p className="mb-5">
          {t('units.reservoirs')}: <Reservoirs check={unit.reservoirs} />
        </p>
        {/* a new version is a new form: nobody's edit is laid over another's */}
        <UnitForm key={unit.version} unit={unit} disabled={!mayEdit || unit.retired} />
        <RetireUnit unit={unit} />
      </div>
    </div>
  )
}

function RetireUnit({ unit }: { unit: Schema['UnitOut'] }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const may = useMay('retireUnit')
  const retire = useMutation({
    mutationFn: () =>
      need(
        api.POST('/api/units/{unit_id}/retired', {
          params: { path: { unit_id: unit.id } },
          body: { version: unit.version, retired: !unit.retired },
        }),
      ),
    onSuccess: () =>
      queries.invalidateQueries({
        predicate: ({ queryKey }) => ['unit', 'units', 'trailers'].includes(String(queryKey[0])),
      }),
  })
  if (!may) return null
  return (
    <div className="mt-8 border-t border-line pt-4">
      <Button onClick={() => retire.mutate()}>
        {unit.retired ? t('units.backInUse') : t('units.retire')}
      </Button>
      <FormError error={retire.error} />
    </div>
  )
}
