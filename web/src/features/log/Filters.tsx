import { useQuery } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { allUnitsQuery, trailersQuery } from '../../shared/api'
import { unitLabel, fromPsi } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { useRulebook } from '../../shared/figures/useRulebook'
import { Button, SelectField, TextField } from '../../shared/ui'
import { findableQuery } from './queries'
import { COLUMNS, columnsOf, FILTERS, FLAGS, type Filter } from './wanted'

const PURPOSES = ['dispatch', 'training', 'rehearsal'] as const

interface FiltersProps {
  params: URLSearchParams
  onChange: (changes: Partial<Record<Filter | 'columns', string>>) => void
}

/** Everything that the log is narrowed by beside a word and an outcome, and the columns that it shows. */
export function Filters({ params, onChange }: FiltersProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const book = useRulebook()
  const units = useQuery(allUnitsQuery()).data ?? []
  const trailers = useQuery(trailersQuery()).data ?? []
  const findable = useQuery(findableQuery(figures.language)).data
  const any = { value: '', text: t('log.any') }
  const select = (name: Filter) => ({
    value: params.get(name) ?? '',
    onChange: (event: { target: { value: string } }) => onChange({ [name]: event.target.value }),
  })
  const quantity = params.get('quantity') ?? ''
  const seconds = findable?.quantities[quantity] === 's'
  const scale = seconds ? 1 : fromPsi(1, figures.unit)
  const bound = (name: 'at_least' | 'at_most') => ({
    type: 'number',
    step: 'any',
    disabled: !quantity,
    defaultValue: params.get(name) ? Math.round(Number(params.get(name)) * scale * 1000) / 1000 : '',
    onBlur: (event: { target: { value: string } }) =>
      onChange({ [name]: event.target.value && String(Number(event.target.value) / scale) }),
  })
  const columns = columnsOf(params)
  const nameOf = (key: string) => {
    const [of = '', which] = key.split('.')
    return which
      ? `${t(`step.${of as 'cut_out'}`)}, ${t(`log.knob_${which as 'tractor'}`)}`
      : t(`step.${of as 'cut_out'}`)
  }
  return (
    <div className="grid gap-4 border-b border-line pb-4" data-filters>
      <div className="grid gap-3 sm:grid-cols-3 lg:grid-cols-6">
        <SelectField
          label={t('log.unit')}
          {...select('unit')}
          options={[any, ...units.map(({ id, name }) => ({ value: id, text: name }))]}
        />
        <SelectField
          label={t('log.trailer')}
          {...select('trailer')}
          options={[any, ...trailers.map(({ id, name }) => ({ value: id, text: name }))]}
        />
        <TextField label={t('log.driver')} {...select('driver')} maxLength={80} list="log-people" />
        <TextField label={t('log.person')} {...select('person')} maxLength={80} list="log-people" />
        <datalist id="log-people">
          {findable?.people.map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
        <TextField label={t('log.since')} type="date" {...select('since')} />
        <TextField label={t('log.until')} type="date" {...select('until')} />
        <SelectField
          label={t('report.purpose')}
          {...select('purpose')}
          options={[any, ...PURPOSES.map((value) => ({ value, text: t(`report.purposes.${value}`) }))]}
        />
        <SelectField label={t('report.judgedBy')} {...select('rules')} options={[any, ...book.rules]} />
        <SelectField
          label={t('log.quantity')}
          value={quantity}
          onChange={(event) => onChange({ quantity: event.target.value, at_least: '', at_most: '' })}
          options={[
            any,
            ...Object.keys(findable?.quantities ?? {}).map((value) => ({ value, text: nameOf(value) })),
          ]}
        />
        <TextField
          key={`least ${quantity} ${params.get('at_least') ?? ''}`}
          label={t('log.atLeast', { unit: seconds ? 's' : unitLabel[figures.unit] })}
          {...bound('at_least')}
        />
        <TextField
          key={`most ${quantity} ${params.get('at_most') ?? ''}`}
          label={t('log.atMost', { unit: seconds ? 's' : unitLabel[figures.unit] })}
          {...bound('at_most')}
        />
        <SelectField
          label={t('log.finding')}
          {...select('finding')}
          options={[
            any,
            ...Object.entries(findable?.findings ?? {}).map(([value, text]) => ({ value, text })),
          ]}
        />
        <div className="flex flex-wrap items-center gap-4 sm:col-span-3">
          {FLAGS.map((name) => (
            <label key={name} className="inline-flex min-h-touch items-center gap-2">
              <input
                type="checkbox"
                className="size-6 shrink-0 accent-ink"
                checked={params.has(name)}
                onChange={(event) => onChange({ [name]: event.target.checked ? 'yes' : '' })}
              />
              {t(`log.${name}`)}
            </label>
          ))}
          <Button onClick={() => onChange(Object.fromEntries(FILTERS.map((name) => [name, ''])))}>
            {t('log.clear')}
          </Button>
        </div>
      </div>
      <fieldset className="flex flex-wrap items-center gap-x-5">
        <legend className="float-left mr-5 text-note text-soft">{t('log.columns')}</legend>
        {COLUMNS.map((column) => (
          <label key={column} className="inline-flex min-h-touch items-center gap-2">
            <input
              type="checkbox"
              className="size-6 accent-ink"
              checked={columns.includes(column)}
              onChange={(event) =>
                onChange({
                  columns: COLUMNS.filter((one) =>
                    one === column ? event.target.checked : columns.includes(one),
                  ).join(' '),
                })
              }
            />
            {t(`log.column_${column}`)}
          </label>
        ))}
      </fieldset>
    </div>
  )
}
