import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { allUnitsQuery, api, need, trailersQuery, type Schema } from '../../shared/api'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { useRulebook } from '../../shared/figures/useRulebook'
import { useMay } from '../../shared/session'
import { Button, FormError, Modal, Notice } from '../../shared/ui'
import { TrailerDialog } from './TrailerDialog'
import { Reservoirs } from './Reservoirs'

type Trailer = Schema['TrailerOut']

/** Power units and trailers as the fleet keeps them. */
export function UnitsPage() {
  const book = useRulebook()
  const { t } = useTranslation()
  const navigate = useNavigate()
  const figures = useFigures()
  const shown = (psi: number | null) => (psi === null ? '–' : figures.reading(psi))
  const units = useQuery(allUnitsQuery())
  const trailers = useQuery(trailersQuery())
  const may = { add: useMay('addUnit'), import: useMay('importUnits'), trailer: useMay('addTrailer') }
  const [search, setSearch] = useState('')
  const [importing, setImporting] = useState(false)
  const [trailer, setTrailer] = useState<Trailer | 'new'>()
  if (!units.data || !trailers.data) {
    return (
      <Notice
        error={units.error ?? trailers.error}
        onRetry={() => void Promise.all([units.refetch(), trailers.refetch()])}
      />
    )
  }
  const word = search.trim().toLowerCase()
  const found = units.data.filter((unit) =>
    [unit.name, ...unit.trailers].some((name) => name.toLowerCase().includes(word)),
  )
  return (
    <>
      <div className="flex flex-wrap items-end gap-3 pt-5 pb-3">
        <h1 className="mr-auto text-title">{t('units.title')}</h1>
        <input
          type="search"
          aria-label={t('units.search')}
          placeholder={t('units.search')}
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          className="h-11 w-60 border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
        />
        {may.import && <Button onClick={() => setImporting(true)}>{t('units.import')}</Button>}
        {may.add && (
          <Button tone="air" onClick={() => void navigate('/units/new')}>
            {t('units.add')}
          </Button>
        )}
      </div>
      <table className="w-full border-collapse">
        <thead className="text-left text-note text-soft">
          <tr className="border-b-[1.5px] border-ink">
            <th className="py-1.5 pr-3 font-semibold">{t('units.unit')}</th>
            <th className="pr-3 font-semibold">{t('units.pulls')}</th>
            <th className="pr-3 font-semibold max-md:hidden">{t('units.governor')}</th>
            <th className="pr-3 font-semibold max-md:hidden">{t('units.reservoirs')}</th>
            <th className="pr-3 font-semibold max-sm:hidden">{t('units.rules')}</th>
            <th className="font-semibold max-sm:hidden">{t('units.state')}</th>
          </tr>
        </thead>
        <tbody>
          {found.map((unit) => (
            <tr
              key={unit.id}
              className={`h-13 border-b border-hair hover:bg-sheet ${unit.retired ? 'text-soft' : ''}`}
            >
              <th scope="row" className="pr-3 text-left">
                <Link to={`/units/${unit.id}`} className="font-bold underline-offset-4 hover:underline">
                  {unit.name}
                </Link>
                <span className="block text-note font-normal text-soft">{t(`kind.${unit.kind}`)}</span>
              </th>
              <td className="pr-3">{unit.trailers.join(' + ') || <span className="text-soft">–</span>}</td>
              <td className="num pr-3 max-md:hidden">
                {shown(unit.governor.cut_in_psi)} / {shown(unit.governor.cut_out_psi)}{' '}
                <span className="text-note font-normal">{unitLabel[figures.unit]}</span>
              </td>
              <td className="pr-3 max-md:hidden">
                <Reservoirs check={unit.reservoirs} short />
              </td>
              <td className="pr-3 max-sm:hidden">{book.rulesTitle(unit.rules)}</td>
              <td className="max-sm:hidden">{unit.retired ? t('units.retired') : t('units.inUse')}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="flex items-end justify-between pt-8 pb-3">
        <h2 className="text-title">{t('units.trailers')}</h2>
        {may.trailer && <Button onClick={() => setTrailer('new')}>{t('units.addTrailer')}</Button>}
      </div>
      <table className="w-full border-collapse">
        <thead className="text-left text-note text-soft">
          <tr className="border-b-[1.5px] border-ink">
            <th className="py-1.5 pr-3 font-semibold">{t('units.trailer')}</th>
            <th className="pr-3 font-semibold">{t('units.behind')}</th>
            <th className="pr-3 font-semibold max-sm:hidden">{t('units.chambers')}</th>
            <th className="pr-3 font-semibold max-sm:hidden">{t('units.reservoirs')}</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {trailers.data.map((one) => (
            <tr key={one.id} className={`h-12 border-b border-hair ${one.retired ? 'text-soft' : ''}`}>
              <th scope="row" className="pr-3 text-left font-bold">
                {one.name}
              </th>
              <td className="pr-3">
                {one.retired ? t('units.retired') : (one.coupled_to ?? t('units.standing'))}
              </td>
              <td className="num pr-3 max-sm:hidden">{one.chambers.join(' ') || '–'}</td>
              <td className="pr-3 max-sm:hidden">
                <Reservoirs check={one.reservoirs} short />
              </td>
              <td className="text-right">
                {may.trailer && (
                  <button
                    type="button"
                    aria-label={t('units.editTrailer', { name: one.name })}
                    onClick={() => setTrailer(one)}
                    className="min-h-11 px-2 text-air underline underline-offset-4"
                  >
                    {t('people.edit')}
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {trailer && (
        <TrailerDialog
          trailer={trailer === 'new' ? undefined : trailer}
          onClose={() => setTrailer(undefined)}
        />
      )}
      {importing && <ImportDialog onClose={() => setImporting(false)} />}
    </>
  )
}

/** A CSV file is looked through first; only a file without a bad line can be taken. */
function ImportDialog({ onClose }: { onClose: () => void }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [file, setFile] = useState<File>()
  const send = useMutation({
    mutationFn: async ({ chosen, dryRun }: { chosen: File; dryRun: boolean }) => {
      const body = await chosen.arrayBuffer()
      return need(
        api.POST('/api/units/import', {
          params: { query: { dry_run: dryRun } },
          body: body as unknown as string,
          bodySerializer: (raw: unknown) => raw as BodyInit,
          headers: { 'Content-Type': 'text/csv' },
        }),
      )
    },
    onSuccess: ({ kept }) => {
      if (!kept) return
      void queries.invalidateQueries({ queryKey: ['units'] })
      onClose()
    },
  })
  const result = send.data
  return (
    <Modal title={t('units.importTitle')} open onClose={onClose}>
      <p>{t('units.importHint')}</p>
      <input
        type="file"
        aria-label={t('units.importFile')}
        accept=".csv,text/csv"
        onChange={(event) => {
          const chosen = event.target.files?.[0]
          setFile(chosen)
          if (chosen) send.mutate({ chosen, dryRun: true })
        }}
      />
      <FormError error={send.error} />
      {result && (
        <div role="status">
          <p className="font-semibold">
            {t('units.importFound', { good: result.names.length, bad: result.bad.length })}
          </p>
          <ul className="max-h-60 overflow-y-auto text-note">
            {result.bad.map(({ line, problem }) => (
              <li key={line} className="text-clay">
                {t('units.importLine', { line })}: {problem}
              </li>
            ))}
          </ul>
        </div>
      )}
      <div className="flex gap-3">
        <Button
          tone="air"
          disabled={!file || !result || result.bad.length > 0 || send.isPending}
          onClick={() => file && send.mutate({ chosen: file, dryRun: false })}
        >
          {t('units.importTake')}
        </Button>
        <Button onClick={onClose}>{t('app.cancel')}</Button>
      </div>
    </Modal>
  )
}
