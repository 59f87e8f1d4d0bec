import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { rulebookQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay } from '../../shared/session'
import { STAGES, UNIT_KINDS } from '../../shared/trade.gen'
import { ACTIONS } from './editor.gen'
import { Button, Choice, Modal, Notice, SelectField } from '../../shared/ui'
import { BentCourse } from './BentCourse'
import { NameForm } from './DeriveDialog'
import { latestOf, refOf, type Edition, type Table } from './drafts'
import { Editions } from './Editions'
import {
  beginsWith,
  begun,
  isAction,
  moved,
  optionalOrNot,
  timed,
  timedAt,
  tugFirst,
  tugsSwapped,
  without,
  type Order,
  type Stage,
  type Step,
} from './orders'
import { useDraft } from './useDraft'
import { editionsQuery, planQuery, type UnitKind } from './queries'

/** Orders of work, bent by hand: the planner says what each costs as it bends, and what cannot be done. */
export function OrdersPage() {
  const { t } = useTranslation()
  const book = useQuery(rulebookQuery())
  const editions = useQuery(editionsQuery())
  const [params] = useSearchParams()
  if (!book.data || !editions.data) {
    const asked = book.data ? editions : book
    return <Notice error={asked.error} onRetry={() => void asked.refetch()} />
  }
  const drafts = latestOf(editions.data, 'procedure').filter(({ state }) => state === 'draft')
  const writing = drafts.find((one) => refOf(one) === params.get('draft'))
  return (
    <>
      {writing ? (
        <Written key={refOf(writing)} edition={writing} book={book.data} />
      ) : (
        <Tried book={book.data} drafts={drafts} />
      )}
      <section className="max-w-3xl pt-8">
        <h2 className="pb-2 text-lead">{t('rules.ours')}</h2>
        <Editions editions={editions.data.filter(({ kind }) => kind === 'procedure')} />
      </section>
    </>
  )
}

const orderOf = (table: Table): Order => ({
  steps: (table.steps as Step[] | undefined) ?? [],
  optional: (table.optional as Stage[] | undefined) ?? [],
  holding: (table.holding as Order['holding'] | undefined) ?? null,
})

/** An order as a table of its file; what says nothing is left out. */
const tableOf = ({ steps, optional, holding }: Order): Table => ({
  format: 'low-hiss-procedure/1',
  steps,
  ...(optional.length > 0 && { optional }),
  ...(holding && { holding }),
})

/** A draft of the fleet's own: it keeps itself. */
function Written({ edition, book }: { edition: Edition; book: Schema['BookOut'] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const draft = useDraft(edition)
  const order = orderOf(draft.table)
  return (
    <Builder
      title={`${edition.title[figures.language] ?? edition.name}, ${t('rules.version', { version: edition.version })}`}
      order={order}
      book={book}
      onBend={(next) => draft.change({ ...pick(draft.table), ...tableOf(next) })}
    >
      <span role="status" className="text-note text-soft">
        {draft.problem
          ? `${t('rules.draftNotSaved')} ${draft.problem}`
          : draft.kept
            ? t('rules.draftSaved')
            : ''}
      </span>
      <Button disabled={!draft.undo} onClick={draft.undo}>
        {t('rules.undo')}
      </Button>
    </Builder>
  )
}

const pick = ({ id, title, about }: Table): Table => ({ id, title, ...(about ? { about } : {}) })

/** Any order, tried; what is worth it becomes a draft. */
function Tried({ book, drafts }: { book: Schema['BookOut']; drafts: Edition[] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const navigate = useNavigate()
  const writes = useMay('saveDraft')
  const [from, setFrom] = useState(book.procedures[0]?.id ?? '')
  const [order, setOrder] = useState<Order>(() => startOf(book, from))
  const [naming, setNaming] = useState(false)
  return (
    <Builder title={t('rules.ordersTitle')} order={order} book={book} onBend={setOrder}>
      <div className="w-56">
        <SelectField
          label={t('rules.startsFrom')}
          value={from}
          options={book.procedures.map(({ id, title }) => ({
            value: id,
            text: title[figures.language] ?? id,
          }))}
          onChange={({ target }) => {
            setFrom(target.value)
            setOrder(startOf(book, target.value))
          }}
        />
      </div>
      {writes && (
        <Button tone="air" onClick={() => setNaming(true)}>
          {t('rules.keepOrder')}
        </Button>
      )}
      {writes &&
        drafts.map((draft) => (
          <Button key={draft.name} onClick={() => void navigate(`/rules/orders?draft=${refOf(draft)}`)}>
            {draft.title[figures.language]}: {t('rules.write', { version: draft.version })}
          </Button>
        ))}
      {naming && (
        <Modal title={t('rules.nameOrder')} open onClose={() => setNaming(false)}>
          <NameForm
            button={t('rules.keepOrder')}
            table={() => tableOf(order)}
            onBegun={(edition) => {
              setNaming(false)
              void navigate(`/rules/orders?draft=${refOf(edition)}`)
            }}
          />
        </Modal>
      )}
    </Builder>
  )
}

function startOf(book: Schema['BookOut'], id: string): Order {
  const one = book.procedures.find((procedure) => procedure.id === id)
  return { steps: one?.steps ?? [], optional: one?.optional ?? [], holding: one?.holding ?? null }
}

interface BuilderProps {
  title: string
  order: Order
  book: Schema['BookOut']
  onBend: (order: Order) => void
  children: React.ReactNode
}

/** The course bent by hand, with what it costs on a kind of unit under a rule set. */
function Builder({ title, order, book, onBend, children }: BuilderProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const [kind, setKind] = useState<UnitKind>('tractor_semitrailer')
  const [rules, setRules] = useState(book.tested_by[kind]?.rules ?? book.rules[0]?.id ?? '')
  const names = { id: 'tried', title: { en: title, es: title } }
  const planned = useQuery(
    planQuery({ table: { ...names, ...tableOf(order) }, rules, kind }, figures.language, figures.unit),
  )
  const select = 'min-h-touch border-[1.5px] border-ink bg-sheet px-3'
  const plan = planned.data
  return (
    <>
      <div className="flex flex-wrap items-end gap-x-5 gap-y-3 pt-3 pb-3">
        <h2 className="text-lead">{title}</h2>
        <div>
          <div className="mb-1 text-note text-soft">{t('rules.orderUnder')}</div>
          <div className="flex gap-px">
            <select
              aria-label={t('rules.kind')}
              className={select}
              value={kind}
              onChange={({ target }) => setKind(UNIT_KINDS.find((one) => one === target.value) ?? kind)}
            >
              {UNIT_KINDS.map((one) => (
                <option key={one} value={one}>
                  {t(`kind.${one}`)}
                </option>
              ))}
            </select>
            <select
              aria-label={t('rules.rules')}
              className={select}
              value={rules}
              onChange={({ target }) => setRules(target.value)}
            >
              {book.rules.map(({ id, title: words }) => (
                <option key={id} value={id}>
                  {words[figures.language]}
                </option>
              ))}
            </select>
          </div>
        </div>
        {children}
      </div>
      <BentCourse
        order={order}
        plan={plan}
        stale={planned.isPlaceholderData}
        onMove={(from, to) => onBend({ ...order, steps: moved(order.steps, from, to) })}
        onOptional={(stage) => onBend(optionalOrNot(order, stage))}
        onRemove={(place) => onBend(without(order, place))}
      />
      <Cost plan={plan} error={planned.error} />
      <Bends order={order} onBend={onBend} />
    </>
  )
}

function Cost({ plan, error }: { plan: Schema['OrderOut'] | undefined; error: Error | null }) {
  const { t } = useTranslation()
  if (!plan) return error ? <Notice error={error} /> : null
  const named = (stages: string[]) => stages.map((stage) => t(`step.${stage as Stage}`)).join(', ')
  return (
    <div className="grid gap-1 border-y-2 border-ink bg-sheet px-4 py-3" aria-live="polite" data-cost>
      {error ? (
        <p className="font-semibold text-clay">{error.message}</p>
      ) : plan.problem ? (
        <p className="font-semibold text-clay">
          {t('rules.cannot')}: {plan.problem}
        </p>
      ) : (
        <p className="flex flex-wrap items-baseline gap-x-6">
          <span className="num text-title">
            {t('rules.minutes', { count: Math.round(plan.seconds / 60) })}
          </span>
          <span className="num text-figure">{t('rules.refills', { count: plan.refills })}</span>
          <span className="num text-figure">{t('rules.starts', { count: plan.engine_starts })}</span>
          <span>{t(plan.begins_full ? 'rules.beginsFull' : 'rules.beginsEmpty')}</span>
        </p>
      )}
      {plan.unjudged.length > 0 && (
        <p className="text-note">{t('rules.unjudged', { stages: named(plan.unjudged) })}</p>
      )}
      {plan.unlimited.length > 0 && (
        <p className="text-note text-soft">{t('rules.unlimited', { stages: named(plan.unlimited) })}</p>
      )}
    </div>
  )
}

/** The bends that schools differ by, one touch each, and what else can be put in. */
function Bends({ order, onBend }: { order: Order; onBend: (order: Order) => void }) {
  const { t } = useTranslation()
  const first = tugFirst(order)
  return (
    <div className="flex flex-wrap items-end gap-x-6 gap-y-3 pt-4">
      {first && (
        <Choice
          label={t('rules.tug')}
          value={first}
          options={(['trailer', 'parking'] as const).map((value) => ({
            value,
            text: t(`rules.tugs.${value}`),
          }))}
          onChange={(next) => next !== first && onBend(tugsSwapped(order))}
        />
      )}
      <Choice
        label={t('rules.timed')}
        value={timedAt(order)}
        options={(['first', 'refill', 'no'] as const).map((value) => ({
          value,
          text: t(`rules.timedOn.${value}`),
        }))}
        onChange={(where) => onBend(timed(order, where))}
      />
      <Choice
        label={t('rules.startWith')}
        value={beginsWith(order)}
        options={(['engine', 'full'] as const).map((value) => ({
          value,
          text: t(`rules.startsWith.${value}`),
        }))}
        onChange={(how) => onBend(begun(order, how))}
      />
      <Choice
        label={t('rules.holding')}
        value={order.holding ?? 'rules'}
        options={(['rules', 'chocks', 'gear_too'] as const).map((value) => ({
          value,
          text: value === 'rules' ? t('rules.asRules') : t(`rules.holdings.${value}`),
        }))}
        onChange={(holding) => onBend({ ...order, holding: holding === 'rules' ? null : holding })}
      />
      <label className="block">
        <span className="block text-note text-soft">{t('rules.add')}</span>
        <select
          value=""
          className="min-h-touch border-[1.5px] border-ink bg-sheet px-3"
          onChange={({ target }) => {
            const step = [...STAGES, ...ACTIONS].find((one) => one === target.value)
            if (step) onBend({ ...order, steps: [...order.steps, step] })
          }}
        >
          <option value="">…</option>
          {[...STAGES.filter((stage) => !order.steps.includes(stage)), ...ACTIONS].map((step) => (
            <option key={step} value={step}>
              {t(`step.${step}`)}
              {isAction(step) ? '' : ' *'}
            </option>
          ))}
        </select>
      </label>
    </div>
  )
}
