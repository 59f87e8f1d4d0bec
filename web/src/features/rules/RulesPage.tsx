import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useRulebook } from '../../shared/figures/useRulebook'
import { useMay } from '../../shared/session'
import { UNIT_KINDS } from '../../shared/trade.gen'
import { Button, Choice, Notice } from '../../shared/ui'
import { Conventions } from './Conventions'
import { DeriveDialog } from './DeriveDialog'
import { latestOf, refOf, type Edition, type Limit } from './drafts'
import { Editions } from './Editions'
import { LimitEditor } from './LimitEditor'
import { InspectionRules } from './InspectionRules'
import { SideBySide, type Place } from './SideBySide'
import { TestedBy } from './TestedBy'
import { useDraft } from './useDraft'
import { compareQuery, editionsQuery, type Circuits, type UnitKind } from './queries'

const VIEWS = ['limits', 'sources', 'conventions', 'inspection'] as const
type View = (typeof VIEWS)[number]

/** Every rule set side by side; one of the fleet's own is written under them. What is shown lives in the address. */
export function RulesPage() {
  const { t } = useTranslation()
  const editions = useQuery(editionsQuery())
  if (!editions.data) return <Notice error={editions.error} onRetry={() => void editions.refetch()} />
  return (
    <>
      <RuleEditor editions={editions.data} />
      <div className="grid gap-x-10 gap-y-6 pt-8 lg:grid-cols-2">
        <section>
          <h2 className="pb-2 text-lead">{t('rules.ours')}</h2>
          <Editions editions={editions.data} />
        </section>
        <section>
          <h2 className="pb-2 text-lead">{t('rules.testedBy')}</h2>
          <TestedBy />
        </section>
      </div>
    </>
  )
}

function RuleEditor({ editions }: { editions: Edition[] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const writes = useMay('saveDraft')
  const [params, setParams] = useSearchParams()
  const [deriving, setDeriving] = useState(false)
  const view = VIEWS.find((one) => one === params.get('view')) ?? 'limits'
  const kind = UNIT_KINDS.find((one) => one === params.get('kind')) ?? 'tractor_semitrailer'
  const circuits: Circuits = params.get('circuits') === 'single' ? 'single' : 'dual'
  const drafts = latestOf(editions, 'rules').filter(({ state }) => state === 'draft')
  const asked = params.getAll('sets')
  const writing = drafts.find((one) => refOf(one) === params.get('draft'))
  const compared = useQuery(compareQuery(asked, kind, circuits, figures.language, figures.unit))
  const change = (next: Record<string, string | string[] | null>) =>
    setParams(
      (old) => {
        const changed = new URLSearchParams(old)
        for (const [key, value] of Object.entries(next)) {
          changed.delete(key)
          for (const one of value === null ? [] : [value].flat()) changed.append(key, one)
        }
        return changed
      },
      { replace: true },
    )
  if (!compared.data) return <Notice error={compared.error} onRetry={() => void compared.refetch()} />
  const table = compared.data
  const refs = table.columns.map(({ ref }) => ref)
  const open = (edition: Edition) => {
    const others = refs.filter((ref) => !ref.startsWith(`${edition.name}@`)).slice(0, 4)
    change({ sets: [...others, refOf(edition)], draft: refOf(edition), view: 'limits' })
  }
  return (
    <>
      <div className="no-print flex flex-wrap items-end gap-x-5 gap-y-3 pt-3 pb-3">
        <Selects {...{ kind, circuits, change }} />
        <Choice
          label={t('rules.legend', { first: table.columns[0]?.title })}
          value={view}
          options={VIEWS.map((value) => ({ value, text: t(`rules.views.${value}`) }))}
          onChange={(value: View) => change({ view: value })}
        />
        <Another refs={refs} editions={editions} onAdd={(ref) => change({ sets: [...refs, ref] })} />
        {writes && (
          <Button tone="air" className="ml-auto" onClick={() => setDeriving(true)}>
            {t('rules.derive')}
          </Button>
        )}
      </div>
      {deriving && (
        <DeriveDialog
          onClose={() => setDeriving(false)}
          onBegun={(edition) => {
            setDeriving(false)
            open(edition)
          }}
        />
      )}
      {writing ? (
        <Writing key={refOf(writing)} {...{ table, view, kind, change, refs }} edition={writing} />
      ) : (
        <Reading {...{ table, view, change, refs, drafts, open }} />
      )}
    </>
  )
}

type Change = (next: Record<string, string | string[] | null>) => void

function Selects({ kind, circuits, change }: { kind: UnitKind; circuits: Circuits; change: Change }) {
  const { t } = useTranslation()
  const box = 'min-h-touch border-[1.5px] border-ink bg-sheet px-3'
  return (
    <div>
      <div className="mb-1 text-note text-soft">{t('rules.besideFor')}</div>
      <div className="flex gap-px">
        <select
          aria-label={t('rules.kind')}
          value={kind}
          onChange={(event) => change({ kind: event.target.value })}
          className={box}
        >
          {UNIT_KINDS.map((one) => (
            <option key={one} value={one}>
              {t(`kind.${one}`)}
            </option>
          ))}
        </select>
        <select
          aria-label={t('rules.besideFor')}
          value={circuits}
          onChange={(event) => change({ circuits: event.target.value })}
          className={box}
        >
          {(['dual', 'single'] as const).map((one) => (
            <option key={one} value={one}>
              {t(`rules.circuits.${one}`)}
            </option>
          ))}
        </select>
      </div>
    </div>
  )
}

/** Another set beside: a built-in one that was left out, or any version of the fleet's own. */
function Another({
  refs,
  editions,
  onAdd,
}: {
  refs: string[]
  editions: Edition[]
  onAdd: (ref: string) => void
}) {
  const { t } = useTranslation()
  const figures = useFigures()
  const book = useRulebook()
  const own = editions.filter(({ kind }) => kind === 'rules')
  const names = new Set(own.map(({ name }) => name))
  const offered = [
    ...book.rules.filter(({ value }) => !names.has(value)).map(({ value, text }) => ({ ref: value, text })),
    ...own.map((one) => ({
      ref: refOf(one),
      text: `${one.title[figures.language] ?? one.name}, ${t('rules.version', { version: one.version })} (${t(`rules.states.${one.state}`)})`,
    })),
  ].filter(({ ref }) => !refs.includes(ref))
  if (offered.length === 0) return null
  return (
    <select
      aria-label={t('rules.another')}
      value=""
      onChange={(event) => onAdd(event.target.value)}
      className="min-h-touch max-w-56 border-[1.5px] border-ink bg-sheet px-3 font-semibold"
    >
      <option value="">{t('rules.another')}</option>
      {offered.map(({ ref, text }) => (
        <option key={ref} value={ref}>
          {text}
        </option>
      ))}
    </select>
  )
}

interface ShownProps {
  table: Schema['CompareOut']
  view: View
  change: Change
  refs: string[]
}

/** The table as it is read, with where a limit comes from. */
function Reading({
  table,
  view,
  change,
  refs,
  drafts,
  open,
}: ShownProps & { drafts: Edition[]; open: (edition: Edition) => void }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const writes = useMay('saveDraft')
  const [at, setAt] = useState<Place>()
  const column = table.columns.findIndex(({ ref }) => ref === at?.ref)
  const cell = table.rows.find(({ stage }) => stage === at?.stage)?.cells[column]
  const last = table.columns.at(-1)
  return (
    <>
      {view === 'conventions' ? (
        <Conventions table={table} />
      ) : view === 'inspection' ? (
        <InspectionRules ref_={last?.ref ?? 'us-cdl'} title={last?.title ?? ''} />
      ) : (
        <SideBySide
          {...{ table, at }}
          sources={view === 'sources'}
          draft={undefined}
          onPlace={setAt}
          onLeaveOut={(ref) => change({ sets: refs.filter((one) => one !== ref) })}
        />
      )}
      <div className="grid gap-x-10 gap-y-3 border-t-2 border-ink bg-sheet px-6 py-4 sm:grid-cols-[1fr_auto]">
        {cell?.limit && at ? (
          <div className="grid gap-1" data-source>
            <b>
              {t(`step.${at.stage}`)}, {table.columns[column]?.title}: {cell.text}
            </b>
            {cell.sources.map((source, place) => (
              <span key={source} className="text-note">
                {place > 0 && `${t('rules.replaces')} `}
                {source}
              </span>
            ))}
            {cell.reason && <span className="text-note">{cell.reason}</span>}
            <span lang="en">{cell.said.en}</span>
            <span lang="es">{cell.said.es}</span>
          </div>
        ) : (
          <p className="text-soft">
            {t('rules.chooseOther')} {writes && drafts.length === 0 && t('rules.chooseDraft')}
          </p>
        )}
        <div className="flex flex-wrap items-start gap-3">
          {writes &&
            drafts.map((draft) => (
              <Button key={draft.name} onClick={() => open(draft)}>
                {draft.title[figures.language]}: {t('rules.write', { version: draft.version })}
              </Button>
            ))}
        </div>
      </div>
    </>
  )
}

/** The table with a draft in it, and the editor of what is touched. */
function Writing({
  table,
  view,
  kind,
  change,
  refs,
  edition,
}: ShownProps & { kind: UnitKind; edition: Edition }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const draft = useDraft(edition)
  const own = refOf(edition)
  const [at, setAt] = useState<Place>({ stage: 'leak_applied', ref: own })
  const column = table.columns.findIndex(({ ref }) => ref === own)
  const parentAt = table.columns.findIndex(({ id }) => id === edition.parent)
  const row = table.rows.find(({ stage }) => stage === at.stage)
  const cell = row?.cells[column]
  const parent = row?.cells[parentAt]
  const other = row?.cells.find((one) => one.limit !== null)?.limit as Limit | undefined
  return (
    <>
      {view === 'conventions' ? (
        <Conventions table={table} draft={draft} own={own} />
      ) : view === 'inspection' ? (
        <InspectionRules ref_={own} title={edition.title[figures.language] ?? ''} draft={draft} />
      ) : (
        <SideBySide
          {...{ table, at }}
          sources={view === 'sources'}
          draft={own}
          onPlace={({ stage }) => setAt({ stage, ref: own })}
          onLeaveOut={(ref) =>
            change({
              sets: refs.filter((one) => one !== ref),
              ...(ref === own ? { draft: null } : {}),
            })
          }
        />
      )}
      <div className="border-y-2 border-ink bg-sheet px-6 py-3">
        <div className="flex flex-wrap items-center gap-x-5 gap-y-2 pb-1">
          <b>
            {edition.title[figures.language]}, {t('rules.version', { version: edition.version })}
          </b>
          <span role="status" className="text-note text-soft">
            {draft.problem ? '' : draft.kept ? t('rules.draftSaved') : t('rules.choose')}
          </span>
          <Button className="ml-auto" disabled={!draft.undo} onClick={draft.undo}>
            {t('rules.undo')}
          </Button>
          <Button onClick={() => change({ draft: null })}>{t('app.close')}</Button>
        </div>
        {row && cell && view !== 'conventions' && view !== 'inspection' && (
          <LimitEditor
            key={`${row.stage} ${kind} ${cell.limit === null}`}
            {...{ draft, row, cell, parent, kind, other }}
            parentTitle={table.columns[parentAt]?.title ?? edition.parent ?? ''}
          />
        )}
        {draft.problem && (view === 'conventions' || view === 'inspection') && (
          <p role="alert" className="border-l-4 border-clay pl-3 font-semibold text-clay">
            {t('rules.draftNotSaved')} {draft.problem}
          </p>
        )}
      </div>
    </>
  )
}
