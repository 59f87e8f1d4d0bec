import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Operations } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay } from '../../shared/session'
import { FormError, SelectField } from '../../shared/ui'

type Table = Operations['getTable']['parameters']['path']['name']

const TABLES: Record<Table, true> = {
  units: true,
  trailers: true,
  status: true,
  holds: true,
  defects: true,
  inspections: true,
  seals: true,
  people: true,
}

/** The other tables of the house as files, and records that come from another one. */
export function Tables() {
  const { t } = useTranslation()
  const { language } = useFigures()
  const seesPeople = useMay('listPeople')
  const takesOver = useMay('importRuns')
  const [table, setTable] = useState<Table>('units')
  const names = (Object.keys(TABLES) as Table[]).filter((name) => name !== 'people' || seesPeople)
  return (
    <div className="flex flex-wrap items-end gap-3 pb-6">
      <SelectField
        label={t('log.otherTable')}
        value={table}
        onChange={(event) => setTable(event.target.value as Table)}
        options={names.map((value) => ({ value, text: t(`log.table_${value}`) }))}
      />
      {(['csv', 'xlsx'] as const).map((ending) => (
        <a
          key={ending}
          href={`/api/tables/${table}.${ending}?lang=${language}`}
          download
          className="inline-grid min-h-touch place-items-center border-[1.5px] border-ink bg-sheet px-4 font-semibold"
        >
          {t(`log.as_${ending}`)}
        </a>
      ))}
      {takesOver && <TakeOver />}
    </div>
  )
}

/** A zip of records made elsewhere: each once, and each that cannot be taken by its name. */
function TakeOver() {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const send = useMutation({
    mutationFn: (file: File) =>
      need(
        api.POST('/api/imports', {
          body: file as unknown as string,
          bodySerializer: (body) => body as unknown as BodyInit,
          headers: { 'Content-Type': 'application/octet-stream' },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['log'] })
      await queries.invalidateQueries({ queryKey: ['log-count'] })
    },
  })
  const refused = Object.entries(send.data?.refused ?? {})
  return (
    <div className="grid gap-1">
      <label className="relative ml-6 inline-grid min-h-touch place-items-center border-[1.5px] border-ink bg-sheet px-4 font-semibold focus-within:outline-3 focus-within:outline-offset-2 focus-within:outline-air">
        {t('log.takeOver')}
        <input
          type="file"
          className="absolute inset-0 opacity-0"
          accept=".zip,application/zip"
          disabled={send.isPending}
          onChange={(event) => event.target.files?.[0] && send.mutate(event.target.files[0])}
        />
      </label>
      {send.data && (
        <p role="status" data-arrived className="ml-6 num">
          {t('log.arrived', { taken: send.data.taken, known: send.data.known })}
        </p>
      )}
      {refused.length > 0 && (
        <ul className="ml-6 grid gap-1 border-l-4 border-clay pl-3 text-clay">
          {refused.map(([name, why]) => (
            <li key={name}>
              <b>{name}</b>: {why}
            </li>
          ))}
        </ul>
      )}
      <FormError error={send.error} />
    </div>
  )
}
