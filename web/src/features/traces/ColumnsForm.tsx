import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { Button, SelectField, TextField } from '../../shared/ui'
import type { Columns } from './core'

const ROLES = ['time', 'primary', 'secondary', 'lamp', 'tractor_in', 'trailer_in', 'sender'] as const
const UNITS = ['', 'psi', 'kpa', 'bar', 'mpa'] as const

interface ColumnsFormProps {
  /** What all columns are called; empty where the file could not be read. */
  names: string[]
  taken: Record<string, string>
  open: boolean
  onTake: (columns: Columns) => void
}

/** Which column is what, said by hand over the guess; the file is read again. */
export function ColumnsForm({ names, taken, open, onTake }: ColumnsFormProps) {
  const { t } = useTranslation()
  const [said, setSaid] = useState<Columns>({})
  const submit = (event: FormEvent) => {
    event.preventDefault()
    onTake(Object.fromEntries(Object.entries(said).filter(([, column]) => column)))
  }
  return (
    <details open={open} className="max-w-5xl">
      <summary className="inline-flex min-h-touch cursor-pointer items-center font-semibold underline underline-offset-4">
        {t('traces.columns.title')}
      </summary>
      <form onSubmit={submit} data-columns-form className="grid gap-3 pt-2">
        <div className="grid gap-3 sm:grid-cols-2 lg:grid-cols-4">
          {ROLES.map((role) =>
            names.length > 0 && role !== 'sender' ? (
              <SelectField
                key={role}
                label={t(`traces.columns.${role}`)}
                value={said[role] ?? taken[role] ?? ''}
                onChange={(event) => setSaid({ ...said, [role]: event.target.value })}
                options={['', ...names].map((value) => ({ value, text: value || '–' }))}
              />
            ) : (
              <TextField
                key={role}
                label={t(`traces.columns.${role}`)}
                value={said[role] ?? taken[role] ?? ''}
                maxLength={80}
                onChange={(event) => setSaid({ ...said, [role]: event.target.value })}
              />
            ),
          )}
          <SelectField
            label={t('traces.columns.unit')}
            value={said.unit ?? ''}
            onChange={(event) =>
              setSaid({ ...said, unit: (event.target.value || undefined) as Columns['unit'] })
            }
            options={UNITS.map((value) => ({ value, text: value || t('traces.columns.asNamed') }))}
          />
        </div>
        <Button type="submit" className="justify-self-start">
          {t('traces.columns.again')}
        </Button>
      </form>
    </details>
  )
}
