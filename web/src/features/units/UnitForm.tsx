import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useRulebook } from '../../shared/figures/useRulebook'
import { Button, FormError, SelectField, TextField } from '../../shared/ui'
import { numberOf, numbersOf } from '../../shared/figures/numbers'
import { POWER_KINDS } from '../../shared/trade.gen'

type Unit = Schema['UnitOut']
type Body = Schema['UnitBody']

/** A power unit's specification. Pressures of the specification are the maker's and stand in psi. */
export function UnitForm({
  unit,
  disabled = false,
  onSaved,
}: {
  unit?: Unit
  disabled?: boolean
  onSaved?: (unit: Unit) => void
}) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const book = useRulebook()
  const [fields, setFields] = useState({
    name: unit?.name ?? '',
    kind: unit?.power_kind ?? POWER_KINDS[0],
    circuits: unit?.circuits ?? 'dual',
    cutIn: unit?.governor.cut_in_psi?.toString() ?? '',
    cutOut: unit?.governor.cut_out_psi?.toString() ?? '',
    chambers: unit?.chambers.join(' ') ?? '',
    reservoirs: unit?.reservoirs_in3.join(' ') ?? '',
    year: unit?.build_year?.toString() ?? '',
    fmvss: unit ? (unit.fmvss_121 ? 'yes' : 'no') : '',
    gearbox: (unit?.gearbox ?? '') as 'manual' | 'automatic' | '',
    trailerKnob: (unit?.trailer_knob ?? true) ? 'yes' : 'no',
    resolution: unit?.resolution_psi.toString() ?? '1',
    rules: unit?.own_rules ?? '',
    procedure: unit?.own_procedure ?? '',
    holding: (unit?.holding ?? '') as NonNullable<Unit['holding']> | '',
  })
  const line = (key: keyof typeof fields) => ({
    value: fields[key],
    disabled,
    onChange: (event: { target: { value: string } }) =>
      setFields((now) => ({ ...now, [key]: event.target.value })),
  })
  const save = useMutation({
    // what can't be read is refused by its field, before anything is sent
    mutationFn: async () => {
      const refusal = (field: string) => () => t('units.noNumber', { field })
      const body: Body = {
        name: fields.name,
        kind: fields.kind,
        circuits: fields.circuits,
        governor: {
          cut_in_psi: numberOf(fields.cutIn, refusal(t('units.cutIn'))),
          cut_out_psi: numberOf(fields.cutOut, refusal(t('units.cutOut'))),
        },
        chambers: numbersOf(fields.chambers, refusal(t('units.chambers'))),
        reservoirs_in3: numbersOf(fields.reservoirs, refusal(t('units.reservoirsIn3'))),
        build_year: numberOf(fields.year, refusal(t('units.year'))),
        fmvss_121: fields.fmvss ? fields.fmvss === 'yes' : null,
        gearbox: fields.gearbox || null,
        trailer_knob: fields.trailerKnob === 'yes',
        resolution_psi: numberOf(fields.resolution, refusal(t('units.resolution'))) ?? 1,
        rules: fields.rules || null,
        procedure: fields.procedure || null,
        holding: fields.holding || null,
      }
      if (!unit) return need(api.POST('/api/units', { body }))
      const params = { path: { unit_id: unit.id } }
      return need(api.PUT('/api/units/{unit_id}', { params, body: { ...body, version: unit.version } }))
    },
    onSuccess: (saved) => {
      void queries.invalidateQueries({
        predicate: ({ queryKey }) => ['unit', 'units'].includes(String(queryKey[0])),
      })
      onSaved?.(saved)
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    save.mutate()
  }
  return (
    <form onSubmit={submit} className="grid gap-4 sm:grid-cols-2">
      <TextField label={t('units.name')} required {...line('name')} />
      <SelectField
        label={t('units.kind')}
        options={POWER_KINDS.map((value) => ({ value, text: t(`kind.${value}`) }))}
        {...line('kind')}
      />
      <SelectField
        label={t('units.circuits')}
        options={[
          { value: 'dual', text: t('units.dual') },
          { value: 'single', text: t('units.single') },
        ]}
        {...line('circuits')}
      />
      <TextField label={t('units.resolution')} inputMode="decimal" {...line('resolution')} />
      <TextField label={t('units.cutIn')} inputMode="decimal" {...line('cutIn')} />
      <TextField label={t('units.cutOut')} inputMode="decimal" {...line('cutOut')} />
      <TextField label={t('units.chambers')} hint={t('units.chambersHint')} {...line('chambers')} />
      <TextField label={t('units.reservoirsIn3')} hint={t('units.reservoirsHint')} {...line('reservoirs')} />
      <TextField label={t('units.year')} inputMode="numeric" {...line('year')} />
      <SelectField
        label={t('units.fmvss')}
        options={[
          { value: '', text: t('units.byYear') },
          { value: 'yes', text: t('units.yes') },
          { value: 'no', text: t('units.no') },
        ]}
        {...line('fmvss')}
      />
      <SelectField
        label={t('units.gearbox')}
        options={[
          { value: '', text: t('units.unknown') },
          { value: 'manual', text: t('units.manual') },
          { value: 'automatic', text: t('units.automatic') },
        ]}
        {...line('gearbox')}
      />
      {fields.kind === 'tractor' && (
        <SelectField
          label={t('units.trailerKnob')}
          hint={t('units.trailerKnobHint')}
          options={[
            { value: 'yes', text: t('units.yes') },
            { value: 'no', text: t('units.no') },
          ]}
          {...line('trailerKnob')}
        />
      )}
      <SelectField
        label={t('units.holding')}
        options={[
          { value: '', text: t('units.asRules') },
          { value: 'chocks', text: t('units.holdings.chocks') },
          { value: 'gear_too', text: t('units.holdings.gear_too') },
        ]}
        {...line('holding')}
      />
      <SelectField
        label={t('units.rules')}
        options={[{ value: '', text: t('units.asKind') }, ...book.rules]}
        {...line('rules')}
      />
      <SelectField
        label={t('units.order')}
        options={[{ value: '', text: t('units.asSchool') }, ...book.procedures]}
        {...line('procedure')}
      />
      <div className="grid content-end gap-3 sm:col-span-2">
        <FormError error={save.error} />
        {save.isSuccess && (
          <p role="status" className="font-semibold">
            {t('units.saved')}
          </p>
        )}
        {!disabled && (
          <Button type="submit" tone="air" disabled={save.isPending} className="justify-self-start">
            {t('app.save')}
          </Button>
        )}
      </div>
    </form>
  )
}
