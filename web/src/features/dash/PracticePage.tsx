import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState, useSyncExternalStore } from 'react'
import { Link, useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { askCore } from '../../device'
import { useRecorder } from '../../run'
import { api, need, rulebookQuery, unitsQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay } from '../../shared/session'
import { UNIT_KINDS } from '../../shared/trade.gen'
import {
  Button,
  Choice,
  FormError,
  OutcomeMark,
  SelectField,
  TextField,
  type AnyOutcome,
} from '../../shared/ui'

interface Choices {
  faults: { id: string; title: string; shows: string }[]
  pools: { id: string; title: string }[]
}

const AIR = {
  empty: { tanks_psi: 0, trailer_psi: 0 },
  low: { tanks_psi: 70, trailer_psi: 60 },
  full: { tanks_psi: 118, trailer_psi: 108 },
} as const
const SLOPES = ['0', '1', '-1', '2', '-2', '3', '-3'] as const
type Hidden = 'none' | 'drawn' | 'code' | 'seen'
const SECONDS = 60

/** Practice: which vehicle, what may be wrong with it, and the ones driven before. */
export function PracticePage() {
  const { t } = useTranslation()
  return (
    <div className="max-w-6xl py-5">
      <h1 className="text-title">{t('learn.rooms.vehicle')}</h1>
      <Link
        to="/learn"
        className="inline-flex min-h-touch items-center font-semibold underline underline-offset-4"
      >
        {t('learn.rooms.lessons')}
      </Link>
      <p className="mt-1 max-w-prose">{t('practice.lead')}</p>
      <div className="mt-4 grid gap-8 lg:grid-cols-[minmax(0,1.2fr)_minmax(0,1fr)]">
        <NewPractice />
        <div className="grid content-start gap-8">
          <Driven />
          <TrainersCode />
        </div>
      </div>
      <p className="mt-6 max-w-prose text-note text-soft">{t('practice.caution')}</p>
    </div>
  )
}

function NewPractice() {
  const { t } = useTranslation()
  const { language } = useFigures()
  const navigate = useNavigate()
  const device = useRecorder()
  const [vehicle, setVehicle] = useState<string>('tractor_semitrailer')
  const [gearbox, setGearbox] = useState<'manual' | 'automatic'>('manual')
  const [rules, setRules] = useState('')
  const [procedure, setProcedure] = useState('')
  const [mode, setMode] = useState<'led' | 'free'>('led')
  const [air, setAir] = useState<keyof typeof AIR>('low')
  const [slope, setSlope] = useState<string>('0')
  const [hidden, setHidden] = useState<Hidden>('drawn')
  const [pool, setPool] = useState('leaks')
  const [code, setCode] = useState('')
  const [faults, setFaults] = useState<string[]>([])
  const units = useQuery(unitsQuery()).data ?? []
  const book = useQuery(rulebookQuery()).data
  const unit = units.find(({ id }) => id === vehicle)
  const spec = useVehicle(unit)
  const asked = unit ? spec.data?.vehicle : vehicle
  const choices = useChoices(asked, language, spec.error)
  const begin = useMutation({
    networkMode: 'always',
    mutationFn: async () => {
      if (!('recorder' in device)) throw new Error(t('setup.storage', { why: device.refusal }))
      const seed = crypto.getRandomValues(new Uint32Array(1))[0] ?? 0
      const wrong =
        hidden === 'drawn' ? { pool } : hidden === 'code' ? { code } : hidden === 'seen' ? { faults } : {}
      const choice = {
        ...(unit ? spec.data : { kind: vehicle }),
        ...wrong,
        ...{ seed, mode },
        ...(rules && { rules, procedure: undefined }),
        ...(procedure && { procedure }),
        start: {
          ...AIR[air],
          grade_percent: Number(slope),
          gearbox: unit ? (spec.gearbox ?? gearbox) : gearbox,
        },
      }
      const title = unit?.name ?? t(`kind.${vehicle as 'bus'}`)
      const practices = await device.recorder.practices()
      return practices.begin({ title, choice })
    },
    onSuccess: (id) => void navigate(`/practice/${id}`),
  })
  return (
    <form
      className="grid content-start gap-4"
      onSubmit={(event) => {
        event.preventDefault()
        begin.mutate()
      }}
    >
      <div className="grid gap-4 sm:grid-cols-2">
        <SelectField
          label={t('practice.vehicle')}
          value={vehicle}
          onChange={(event) => setVehicle(event.target.value)}
          options={[
            ...UNIT_KINDS.map((kind) => ({ value: kind as string, text: t(`kind.${kind}`) })),
            ...units.map(({ id, name, kind }) => ({ value: id, text: `${name} · ${t(`kind.${kind}`)}` })),
          ]}
        />
        {!(unit && spec.gearbox) && (
          <Choice
            label={t('practice.gearbox')}
            value={gearbox}
            onChange={setGearbox}
            options={(['manual', 'automatic'] as const).map((value) => ({
              value,
              text: t(`practice.${value}`),
            }))}
          />
        )}
        <SelectField
          label={t('practice.rules')}
          value={rules}
          onChange={(event) => setRules(event.target.value)}
          options={[
            { value: '', text: t('practice.usual') },
            ...(book?.rules ?? [])
              .filter(({ own }) => !own)
              .map(({ id, title }) => ({ value: id, text: title[language] ?? id })),
          ]}
        />
        <SelectField
          label={t('practice.procedure')}
          value={procedure}
          onChange={(event) => setProcedure(event.target.value)}
          options={[
            { value: '', text: t('practice.usual') },
            ...(book?.procedures ?? [])
              .filter(({ own }) => !own)
              .map(({ id, title }) => ({ value: id, text: title[language] ?? id })),
          ]}
        />
      </div>
      <div className="flex flex-wrap gap-3">
        <Choice
          label={t('practice.mode')}
          value={mode}
          onChange={setMode}
          options={(['led', 'free'] as const).map((value) => ({ value, text: t(`practice.modes.${value}`) }))}
        />
        <Choice
          label={t('practice.air')}
          value={air}
          onChange={setAir}
          options={(['empty', 'low', 'full'] as const).map((value) => ({
            value,
            text: t(`practice.airs.${value}`),
          }))}
        />
        <div className="w-32 grow">
          <SelectField
            label={t('practice.slope')}
            value={slope}
            onChange={(event) => setSlope(event.target.value)}
            options={SLOPES.map((value) => ({
              value,
              text:
                value === '0'
                  ? t('practice.level')
                  : t(value.startsWith('-') ? 'practice.down' : 'practice.up', {
                      percent: value.replace('-', ''),
                    }),
            }))}
          />
        </div>
      </div>
      <p className="text-note text-soft">{t(`practice.modeHint.${mode}`)}</p>
      <Choice
        label={t('practice.faulty')}
        value={hidden}
        onChange={setHidden}
        options={(['drawn', 'code', 'seen', 'none'] as const).map((value) => ({
          value,
          text: t(`practice.hidden.${value}`),
        }))}
      />
      {hidden === 'drawn' && (
        <SelectField
          label={t('practice.pool')}
          value={pool}
          onChange={(event) => setPool(event.target.value)}
          options={(choices.data?.pools ?? [{ id: 'leaks', title: 'leaks' }]).map(({ id, title }) => ({
            value: id,
            text: title,
          }))}
        />
      )}
      {hidden === 'code' && (
        <TextField
          label={t('practice.code')}
          value={code}
          maxLength={8}
          autoCapitalize="characters"
          autoComplete="off"
          className="num block min-h-11 w-40 border-[1.5px] border-ink bg-sheet px-3 text-lead uppercase"
          onChange={(event) => setCode(event.target.value)}
        />
      )}
      {hidden === 'seen' && (
        <Faults chosen={faults} choices={choices.data?.faults ?? []} onChange={setFaults} />
      )}
      <FormError error={begin.error ?? choices.error} />
      <div>
        <Button
          type="submit"
          tone="air"
          disabled={begin.isPending || (unit && !spec.data) || (hidden === 'code' && code.trim().length < 6)}
          className="min-h-14 px-8 text-lead"
        >
          {t('practice.begin')}
        </Button>
      </div>
    </form>
  )
}

/** The unit's own specification as the vehicle takes it. */
function useVehicle(unit: Schema['YardUnitOut'] | undefined) {
  const { data, error } = useQuery({
    queryKey: ['vehicle', unit?.id],
    enabled: unit !== undefined,
    retry: false,
    queryFn: () =>
      need(api.GET('/api/units/{unit_id}/vehicle', { params: { path: { unit_id: unit?.id ?? '' } } })),
  })
  return { data, gearbox: unit?.gearbox ?? undefined, error }
}

/** What this vehicle can hide, asked of the core here: without contact as well. */
function useChoices(vehicle: unknown, language: string, failed: Error | null) {
  const query = useQuery({
    queryKey: ['practice-choices', vehicle, language],
    enabled: vehicle !== undefined,
    networkMode: 'always',
    staleTime: Infinity,
    retry: false,
    queryFn: () => askCore('practice_choices', [JSON.stringify(vehicle), language]) as Promise<Choices>,
  })
  return { data: query.data, error: failed ?? query.error }
}

interface FaultsProps {
  chosen: string[]
  choices: Choices['faults']
  onChange: (faults: string[]) => void
}

/** Faults, each mild or severe. */
export function Faults({ chosen, choices, onChange }: FaultsProps) {
  const { t } = useTranslation()
  return (
    <div
      className="max-h-72 overflow-y-auto border-[1.5px] border-ink"
      tabIndex={0}
      role="group"
      aria-label={t('practice.faulty')}
    >
      {choices.map(({ id, title, shows }) => {
        const now = chosen.find((one) => one.split(':')[0] === id)
        const rest = chosen.filter((one) => one !== now)
        return (
          <div
            key={id}
            className="flex flex-wrap items-center justify-between gap-x-3 border-b border-hair px-3 py-1"
          >
            <span className="min-w-0 grow basis-60">
              <b>{title}</b> <span className="block text-note text-soft">{shows}</span>
            </span>
            <span className="flex gap-px bg-ink">
              {(['mild', 'severe'] as const).map((severity) => {
                const one = `${id}:${severity}`
                return (
                  <button
                    key={severity}
                    type="button"
                    aria-pressed={now === one}
                    aria-label={`${title}: ${t(`practice.severity.${severity}`)}`}
                    onClick={() => onChange(now === one ? rest : [...rest, one])}
                    className={`min-h-touch border border-ink px-3 text-note ${now === one ? 'bg-ink text-on-ink' : 'bg-sheet'}`}
                  >
                    {t(`practice.severity.${severity}`)}
                  </button>
                )
              })}
            </span>
          </div>
        )
      })}
    </div>
  )
}

/** What was practised on this device and kept by the server. */
function Driven() {
  const { t } = useTranslation()
  const figures = useFigures()
  const device = useRecorder()
  const queries = useQueryClient()
  const trains = useMay('listPeople')
  const recorder = 'recorder' in device ? device.recorder : null
  const here = useQuery({
    queryKey: ['practices-here'],
    networkMode: 'always',
    enabled: recorder !== null,
    queryFn: async () => (await recorder?.practices())?.here() ?? [],
  }).data
  const kept = useQuery({
    queryKey: ['practices', trains],
    queryFn: () => need(api.GET('/api/practices', { params: { query: { everybody: trains } } })),
    retry: false,
  }).data
  const settled = useSyncExternalStore(
    (hear) => recorder?.subscribe(hear) ?? (() => undefined),
    () => recorder?.settled,
  )
  useEffect(() => {
    for (const list of ['practices', 'practices-here']) void queries.invalidateQueries({ queryKey: [list] })
  }, [queries, settled])
  const known = new Set(here?.map(({ id }) => id))
  const counts = new Map(kept?.map(({ id, ended, counts }) => [id, ended ? counts : true]))
  const rows = [
    ...(here ?? []).map(({ id, title, startedWall, tick, ended, told, refused, after }) => ({
      ...{ id, title, at: startedWall, seconds: tick / 100, ended, person: '' },
      waits: ended && !told && !refused,
      refused,
      outcome: (after?.outcome as string | undefined) ?? null,
    })),
    ...(kept ?? [])
      .filter(({ id }) => !known.has(id))
      .map(({ id, title, began_at, seconds, ended, outcome, person, mine }) => ({
        ...{ id, title, at: began_at, seconds, ended, outcome, person: mine ? '' : person },
        waits: false,
        refused: undefined,
      })),
  ]
  return (
    <section>
      <h2 className="text-lead font-bold">{t('practice.here')}</h2>
      {rows.length === 0 && <p className="mt-1 text-soft">{t('practice.none')}</p>}
      <ul className="mt-2 grid">
        {rows.map(({ id, title, at, seconds, ended, waits, refused, outcome, person }) => (
          <li key={id} className="flex flex-wrap items-center gap-x-3 border-b border-line py-1">
            <span className="min-w-0 grow">
              <b>{title}</b> {person && <span className="text-soft">{person}</span>}
              <span className="block text-note text-soft">
                {figures.when(at)} · {t('practice.minutes', { minutes: Math.round(seconds / SECONDS) })}
                {waits && ` · ${t('practice.waits')}`}
                {counts.get(id) === null && ` · ${t('practice.checking')}`}
              </span>
              {refused && (
                <span className="block text-note text-clay">{t('practice.notSaved', { why: refused })}</span>
              )}
              {counts.get(id) === false && (
                <span className="block text-note text-clay">{t('practice.uncounted')}</span>
              )}
            </span>
            {ended && outcome && <OutcomeMark outcome={outcome as AnyOutcome} />}
            {(ended || known.has(id)) && (
              <Link
                to={ended ? `/practice/${id}/after` : `/practice/${id}`}
                className="inline-flex min-h-touch items-center font-semibold underline underline-offset-4"
              >
                {t(ended ? 'practice.after' : 'practice.goOn')}
              </Link>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}

/** A code that sets up a hidden vehicle on a trainee's device, drawn without contact. */
function TrainersCode() {
  const { t } = useTranslation()
  const { language } = useFigures()
  const trains = useMay('listPeople')
  const [pool, setPool] = useState('leaks')
  const pools = useChoices('tractor_semitrailer', language, null).data?.pools ?? []
  const made = useMutation({
    networkMode: 'always',
    mutationFn: () =>
      askCore('practice_code', [
        pool,
        String(crypto.getRandomValues(new Uint32Array(1))[0] ?? 0),
      ]) as Promise<string>,
  })
  if (!trains) return null
  return (
    <section className="grid max-w-sm gap-3">
      <h2 className="text-lead font-bold">{t('practice.codeFor')}</h2>
      <SelectField
        label={t('practice.pool')}
        value={pool}
        onChange={(event) => setPool(event.target.value)}
        options={pools.map(({ id, title }) => ({ value: id, text: title }))}
      />
      <div className="flex items-center gap-4">
        <Button onClick={() => made.mutate()} disabled={made.isPending}>
          {t('practice.makeCode')}
        </Button>
        {made.data && <b className="num text-title tracking-widest">{made.data}</b>}
      </div>
      <p className="text-note text-soft">{t('practice.codeHint')}</p>
    </section>
  )
}
