import { useQuery } from '@tanstack/react-query'
import { useId } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, Choice, TextField } from '../../shared/ui'
import { BoundScale, type Handle } from './BoundScale'
import {
  asOwn,
  boundAt,
  CEILINGS,
  comparatorOf,
  FLOORS,
  isOwn,
  omit,
  valueOf,
  withBound,
  withLimit,
  withoutLimit,
  type Cell,
  type Comparator,
  type Limit,
  type Row,
  type Side,
} from './drafts'
import type { Draft } from './useDraft'
import { checkQuery, weighQuery, type UnitKind } from './queries'

interface LimitEditorProps {
  draft: Draft
  row: Row
  cell: Cell
  /** The parent's limit of the same stage, as it is drawn dashed. */
  parent: Cell | undefined
  parentTitle: string
  /** A limit of another set to begin with, where this one has none. */
  other: Limit | undefined
  kind: UnitKind
}

const SIDES: Side[] = ['floor', 'ceiling']
const COMPARATORS = { floor: FLOORS, ceiling: CEILINGS } as const

/** One limit of the draft: its bounds on a tape over what was measured, its source, its sentence, why it is looser. */
export function LimitEditor({ draft, row, cell, parent, parentTitle, other, kind }: LimitEditorProps) {
  const { t } = useTranslation()
  const kept = cell.limit as Limit | null
  const written =
    kept && ((draft.table.limit as Limit[] | undefined) ?? []).find(({ key }) => key === kept.key)
  const limit = written ?? kept
  const was = (parent?.limit ?? null) as Limit | null
  if (limit === null) {
    return (
      <div className="flex flex-wrap items-center gap-4 p-6">
        <p>{t('rules.noRule')}</p>
        {other && (
          <Button
            tone="air"
            onClick={() =>
              draft.change(withLimit(draft.table, { ...asOwn(other, ''), key: `${row.stage}.own`, when: {} }))
            }
          >
            {t('rules.addLimit')}
          </Button>
        )}
      </div>
    )
  }
  const document = written?.source.document ?? ''
  const change = (next: Limit) =>
    draft.change(withLimit(draft.table, written ? next : asOwn(next, document || t('rules.ours'))))
  return (
    <div className="grid gap-x-6 gap-y-4 lg:grid-cols-[minmax(0,1.7fr)_minmax(0,1fr)_minmax(0,1fr)]">
      <Bounds {...{ row, limit, was, kind }} onChange={change} />
      <Words limit={limit} own={written !== undefined} draft={draft} onChange={change} parent={parent} />
      <div className="grid content-start gap-3">
        <Law draft={draft} limit={limit} onChange={change} />
        {isOwn(draft.table, limit.key) && (
          <Button
            className="justify-self-start"
            onClick={() => draft.change(withoutLimit(draft.table, limit.key))}
          >
            {t('rules.asParent', { parent: parentTitle })}
          </Button>
        )}
      </div>
    </div>
  )
}

function Bounds({
  row,
  limit,
  was,
  kind,
  onChange,
}: {
  row: Row
  limit: Limit
  was: Limit | null
  kind: UnitKind
  onChange: (limit: Limit) => void
}) {
  const { t } = useTranslation()
  const hanging = limit.bounds.filter(({ of }) => of !== undefined)
  const { data } = useQuery(weighQuery({ stage: row.stage, kind, was, now: limit }))
  const handles: Handle[] = SIDES.flatMap((side) => {
    const bound = boundAt(limit, side)
    const old = was && boundAt(was, side)
    return bound && bound.of === undefined
      ? [{ side, value: valueOf(bound), was: old && old.of === undefined ? valueOf(old) : null }]
      : []
  })
  const numbers = [...handles.flatMap(({ value, was: old }) => [value, old ?? value]), ...row.scale]
  const measured = data?.values.map(({ value }) => value) ?? []
  const low = Math.max(0, Math.min(...numbers, ...measured.slice(0, 1)))
  const high = Math.max(...numbers, ...measured.slice(-1)) + (row.hold_s !== null ? 1 : 4)
  const move = (side: Side, value: number) => {
    const bound = boundAt(limit, side)
    if (bound) onChange(withBound(limit, side, { comparator: comparatorOf(bound), value }))
  }
  return (
    <div className="grid content-start gap-3">
      <div className="flex flex-wrap gap-x-4 gap-y-2">
        {SIDES.map((side) => (
          <SideChoice key={side} {...{ side, limit, row, onChange }} />
        ))}
        {limit.hold_s !== undefined && (
          <NumberField
            label={t('rules.hold')}
            value={limit.hold_s}
            onChange={(hold_s) => onChange({ ...limit, hold_s })}
          />
        )}
        {limit.window_psi && <Window limit={limit} onChange={onChange} />}
      </div>
      {handles.length > 0 && (
        <BoundScale
          name={t(`step.${row.stage}`)}
          quantity={row.unit}
          loss={row.hold_s !== null}
          scale={[low, high]}
          handles={handles}
          values={data?.values ?? []}
          onMove={move}
        />
      )}
      {hanging.map((bound) => (
        <HangingBound key={comparatorOf(bound)} bound={bound} limit={limit} onChange={onChange} />
      ))}
      {limit.bounds.some((bound) => bound.times_reservoir_ratio) && (
        <p className="text-note">{t('rules.scaled')}</p>
      )}
      <p className="text-note text-soft">
        {data && data.runs > 0
          ? t('rules.runsUnder', { count: data.runs, kind: t(`kind.${kind}`) })
          : t('rules.noRuns', { kind: t(`kind.${kind}`) })}
      </p>
      {data && data.runs > 0 && was && (
        <p className="font-semibold" data-turned>
          {data.pass_no_longer > 0 && (
            <span className="text-clay">{t('rules.passNoLonger', { count: data.pass_no_longer })} </span>
          )}
          {data.fail_no_longer > 0 && <span>{t('rules.failNoLonger', { count: data.fail_no_longer })}</span>}
          {data.pass_no_longer + data.fail_no_longer === 0 && t('rules.noneChange')}
        </p>
      )}
    </div>
  )
}

function SideChoice({
  side,
  limit,
  row,
  onChange,
}: {
  side: Side
  limit: Limit
  row: Row
  onChange: (limit: Limit) => void
}) {
  const { t } = useTranslation()
  const bound = boundAt(limit, side)
  const value = bound ? comparatorOf(bound) : 'open'
  const usual = side === 'floor' ? row.scale[0] : row.scale[1]
  return (
    <Choice
      label={t(`rules.${side}`)}
      value={value as Comparator | 'open'}
      options={[...COMPARATORS[side], 'open' as const].map((name) => ({
        value: name,
        text: t(`rules.comparators.${name}`),
      }))}
      onChange={(next) => {
        if (next !== 'open') {
          const at = bound
            ? valueOf(bound)
            : Math.round(Math.max(row.least, Math.min(row.most, usual ?? row.least)))
          onChange(withBound(limit, side, { comparator: next, value: at }))
        } else if (limit.bounds.length > 1) onChange(withBound(limit, side, null))
      }}
    />
  )
}

function HangingBound({
  bound,
  limit,
  onChange,
}: {
  bound: Limit['bounds'][number]
  limit: Limit
  onChange: (limit: Limit) => void
}) {
  const { t } = useTranslation()
  const comparator = comparatorOf(bound)
  return (
    <div className="flex flex-wrap items-end gap-3">
      <p className="max-w-sm text-note">
        {bound.of === 'cut_out_read'
          ? t('rules.hangs', { amounts: t(`rules.comparators.${comparator}`) })
          : t('rules.hangsOnMaker')}
      </p>
      <NumberField
        label={`${t(`rules.comparators.${comparator}`)}, psi`}
        value={valueOf(bound)}
        onChange={(value) =>
          onChange({
            ...limit,
            bounds: limit.bounds.map((one) => (one === bound ? { ...one, [comparator]: value } : one)),
          })
        }
      />
    </div>
  )
}

function Window({ limit, onChange }: { limit: Limit; onChange: (limit: Limit) => void }) {
  const { t } = useTranslation()
  const [from = 0, to = 0] = limit.window_psi ?? []
  return (
    <div className="flex gap-2">
      <NumberField
        label={`${t('rules.windowFrom')}, psi`}
        value={from}
        onChange={(next) => onChange({ ...limit, window_psi: [next, to] })}
      />
      <NumberField
        label={`${t('rules.windowTo')}, psi`}
        value={to}
        onChange={(next) => onChange({ ...limit, window_psi: [from, next] })}
      />
    </div>
  )
}

/** A number that is taken once it is one. */
export function NumberField({
  label,
  value,
  onChange,
}: {
  label: string
  value: number | null
  onChange: (value: number) => void
}) {
  return (
    <div className="w-28">
      <TextField
        key={value}
        label={label}
        inputMode="decimal"
        defaultValue={value ?? ''}
        onBlur={(event) => {
          const text = event.target.value.trim().replace(',', '.').replace('−', '-')
          const next = Number(text)
          if (text && Number.isFinite(next) && next !== value) onChange(next)
          else event.target.value = String(value ?? '')
        }}
        onKeyDown={(event) => {
          if (event.key === 'Enter') event.currentTarget.blur()
        }}
      />
    </div>
  )
}

/** Where the limit comes from, and how it is said in both languages, made as it is written or in one's own words. */
function Words({
  limit,
  own,
  draft,
  parent,
  onChange,
}: {
  limit: Limit
  own: boolean
  draft: Draft
  parent: Cell | undefined
  onChange: (limit: Limit) => void
}) {
  const { t } = useTranslation()
  const figures = useFigures()
  const check = useQuery(checkQuery(draft.table, figures.language, figures.unit))
  const made = check.data?.said[limit.key]
  const words = limit.words
  const said = words ?? (made && { en: made.en ?? '', es: made.es ?? '' })
  return (
    <div className="grid content-start gap-3">
      <TextField
        key={`${limit.key} source`}
        label={t('rules.source')}
        placeholder={t('rules.sourceHint')}
        defaultValue={own ? limit.source.document : ''}
        maxLength={200}
        onBlur={(event) => {
          const document = event.target.value.trim()
          if (document && document !== limit.source.document)
            onChange({ ...limit, source: { document, standing: 'fleet' } })
        }}
      />
      {own && parent && parent.sources[0] && (
        <p className="text-note text-soft">
          {t('rules.replaces')} {parent.text}, {parent.sources[0]}
        </p>
      )}
      <div className="grid gap-2">
        <div className="flex flex-wrap items-baseline justify-between gap-2">
          <span className="text-note text-soft">{t('rules.saidAloud')}</span>
          {said && (
            <button
              type="button"
              className="min-h-8 text-note underline underline-offset-4"
              onClick={() => onChange(words && own ? without(limit) : { ...limit, words: { ...said } })}
            >
              {t(words && own ? 'rules.madeWords' : 'rules.ownWords')}
            </button>
          )}
        </div>
        {(['en', 'es'] as const).map((language) =>
          words && own ? (
            <Sentence
              key={language}
              label={t(language === 'en' ? 'rules.english' : 'rules.spanish')}
              text={words[language]}
              onChange={(text) => onChange({ ...limit, words: { ...words, [language]: text } })}
            />
          ) : (
            <p key={language} lang={language} data-said={language} className="border-l-4 border-line pl-3">
              {said?.[language]}
            </p>
          ),
        )}
      </div>
    </div>
  )
}

const without = (limit: Limit): Limit => omit(limit, 'words') as Limit

function Sentence({
  label,
  text,
  onChange,
}: {
  label: string
  text: string
  onChange: (text: string) => void
}) {
  const id = useId()
  return (
    <label htmlFor={id} className="block">
      <span className="text-note text-soft">{label}</span>
      <textarea
        id={id}
        key={text}
        rows={2}
        defaultValue={text}
        maxLength={500}
        onBlur={(event) => event.target.value.trim() && onChange(event.target.value.trim())}
        className="block w-full border-[1.5px] border-ink bg-sheet px-3 py-1"
      />
    </label>
  )
}

/** What the limit is looser than, and why the fleet chose it all the same. */
function Law({ draft, limit, onChange }: { draft: Draft; limit: Limit; onChange: (limit: Limit) => void }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const check = useQuery(checkQuery(draft.table, figures.language, figures.unit))
  const looser = check.data?.looser.filter(({ key }) => key === limit.key) ?? []
  const problem = check.data?.problem || draft.problem
  return (
    <div className="grid gap-3" aria-live="polite">
      {problem ? (
        <p role="alert" className="border-l-4 border-clay pl-3 font-semibold text-clay">
          {t('rules.draftNotSaved')} {problem}
        </p>
      ) : looser.length > 0 ? (
        <div data-looser className="border-l-4 border-amber pl-3">
          <b>{t('rules.looser')}</b>
          <ul className="text-note">
            {looser.map(({ text }) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
        </div>
      ) : (
        isOwn(draft.table, limit.key) && <p className="text-note text-soft">{t('rules.tighter')}</p>
      )}
      {(looser.length > 0 || limit.reason) && (
        <TextField
          key={`${limit.key} reason`}
          label={t('rules.reason')}
          placeholder={t('rules.reasonHint')}
          defaultValue={limit.reason ?? ''}
          maxLength={300}
          onBlur={(event) => {
            const reason = event.target.value.trim()
            if (reason !== (limit.reason ?? '')) onChange({ ...limit, reason })
          }}
        />
      )}
    </div>
  )
}
