import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link, useNavigate, useParams } from 'react-router'
import { api, need, unitQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay } from '../../shared/session'
import { Button, FormError, Notice } from '../../shared/ui'
import { Coupling } from './Coupling'
import { LiveFeed } from './LiveFeed'
import { Reservoirs } from './Reservoirs'
import { Trends } from './Trends'
import { UnitForm } from './UnitForm'

/** One unit: how its tests went, what it is, what it pulls today, and every change that was made to it. */
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
  const figures = useFigures()
  const mayEdit = useMay('editUnit')
  return (
    <div className="grid gap-x-12 gap-y-8 pt-5 lg:grid-cols-[1fr_380px]">
      <div className="lg:col-span-2">
        <div className="mb-4 flex flex-wrap items-baseline gap-x-4">
          <h1 className="text-title">
            {unit.name} <span className="font-normal text-soft">{t(`kind.${unit.kind}`)}</span>
          </h1>
          {unit.retired && <b className="text-clay">{t('units.retired')}</b>}
          <Link
            to={`/log?q=${encodeURIComponent(unit.name)}`}
            className="ml-auto text-air underline underline-offset-4"
          >
            {t('units.runs')}
          </Link>
        </div>
        {page.failed.length > 0 && (
          <p role="alert" className="mb-5 bg-clay px-4 py-3 text-on-clay">
            <b>{t('yard.doNotDrive')}.</b>{' '}
            {page.failed.map(({ stage, run_id, since }) => (
              <Link key={stage} to={`/runs/${run_id}`} className="mr-3 underline underline-offset-4">
                {t(`step.${stage}`)}, {figures.when(since)}
              </Link>
            ))}
          </p>
        )}
        <Trends unitId={unit.id} />
      </div>
      <div>
        <p className="mb-5">
          {t('units.reservoirs')}: <Reservoirs check={unit.reservoirs} />
        </p>
        {/* a new version is a new form: nobody's edit is laid over another's */}
        <UnitForm key={unit.version} unit={unit} disabled={!mayEdit || unit.retired} />
        <RetireUnit unit={unit} />
      </div>
      <aside className="grid content-start gap-8">
        {unit.power_kind === 'tractor' && !unit.retired && <Coupling key={unit.version} unit={unit} />}
        {!unit.retired && <LiveFeed unitId={unit.id} />}
        <History changes={page.history} />
      </aside>
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

function History({ changes }: { changes: Schema['ChangeOut'][] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  return (
    <section>
      <h2 className="mb-2 text-lead">{t('units.history')}</h2>
      {changes.length === 0 && <p className="text-soft">{t('units.noHistory')}</p>}
      <ol className="grid gap-2">
        {changes.map((change) => (
          <li key={change.at} className="border-b border-hair pb-2">
            <span className="text-note text-soft">
              {figures.when(change.at)}, {change.by_name}
            </span>
            {Object.entries(change.what).map(([field, value]) => {
              const [before, after] = value as [unknown, unknown]
              return (
                <div key={field}>
                  <b className="font-semibold">{field}</b> {plain(before)} → {plain(after)}
                </div>
              )
            })}
          </li>
        ))}
      </ol>
    </section>
  )
}

function plain(value: unknown): string {
  if (value === null || value === undefined) return '–'
  if (Array.isArray(value)) return value.join(' ') || '–'
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}
