import { useState, type ReactNode } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay, useMayAct } from '../../shared/session'
import { ReasonDialog, useActs } from '../../run'
import { Button } from '../../shared/ui'
import { RepairDialog } from './RepairDialog'

type Hold = Schema['HoldOut']

/** An open hold: why, whom it holds, what would change it, and what whoever is here may do about it. */
export function HoldCard({ hold, defects }: { hold: Hold; defects: Schema['DefectOut'][] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const [repairs, releases] = [useMayAct('repaired'), useMayAct('hold_released')]
  const [cancelsHold, decides] = [useMayAct('hold_struck_out'), useMay('decideReported')]
  const act = useActs()
  const [open, setOpen] = useState<'repair' | 'release' | 'cancelHold'>()
  const held = hold.parts.filter((part) => part.held)
  const owner = held[0] ?? hold.parts[0]
  if (!owner) return null
  const ways = new Set(hold.ways.map(({ way }) => way))
  return (
    <article data-hold={hold.stage ?? 'hand'} className="border-l-8 border-clay bg-sheet px-4 py-3">
      <h3 className="text-lead leading-snug">
        {held.map(({ name }) => name).join(' + ')}{' '}
        <span className="font-normal text-soft">
          {[hold.by, t('status.since', { when: figures.when(hold.opened_at) })].filter(Boolean).join(', ')}
          {hold.from_before && `, ${t('status.fromBefore')}`}
        </span>
      </h3>
      <p className="font-semibold text-clay">
        {hold.run_id ? (
          <Link to={`/runs/${hold.run_id}`} className="underline underline-offset-4">
            {hold.text}
          </Link>
        ) : (
          hold.text
        )}
      </p>
      {hold.repaired_at && <p>{t('status.repairedAt', { when: figures.when(hold.repaired_at) })}</p>}
      <ol className="my-2 list-inside list-decimal">
        {hold.ways.map(({ way, text }) => (
          <li key={way}>{text}</li>
        ))}
      </ol>
      <div className="flex flex-wrap gap-3">
        {repairs && hold.stage && !hold.repaired_at && (
          <Button tone="air" onClick={() => setOpen('repair')}>
            {t('acts.repaired')}
          </Button>
        )}
        {hold.tested_with && (
          <Link
            to={`/test/new/${hold.tested_with}`}
            className="inline-grid min-h-touch place-items-center border-[1.5px] border-air bg-sheet px-4 font-semibold text-air"
          >
            {t('acts.recheck')}
          </Link>
        )}
        {decides && ways.has('decide') && hold.run_id && (
          <LinkToReport runId={hold.run_id}>{t('acts.decide')}</LinkToReport>
        )}
        {cancelsHold && ways.has('strike_out') && (
          <Button onClick={() => setOpen('cancelHold')}>{t('acts.cancelHold')}</Button>
        )}
        {releases && <Button onClick={() => setOpen('release')}>{t('acts.release')}</Button>}
      </div>
      {open === 'repair' && (
        <RepairDialog part={owner} holds={[hold]} defects={defects} onClose={() => setOpen(undefined)} />
      )}
      {open === 'cancelHold' && (
        <ReasonDialog
          title={t('acts.cancelHoldTitle', { unit: held.map(({ name }) => name).join(' + ') })}
          label={t('acts.cancelHoldWhy')}
          button={t('acts.cancelHold')}
          tone="clay"
          onClose={() => setOpen(undefined)}
          onSave={(reason) => act('hold_struck_out', owner, { hold: hold.id, reason })}
        />
      )}
      {open === 'release' && (
        <ReasonDialog
          title={t('acts.releaseTitle', { unit: held.map(({ name }) => name).join(' + ') })}
          label={t('acts.releaseWhy')}
          button={t('acts.release')}
          tone="clay"
          onClose={() => setOpen(undefined)}
          onSave={(reason) => act('hold_released', owner, { hold: hold.id, reason })}
        />
      )}
    </article>
  )
}

function LinkToReport({ runId, children }: { runId: string; children: ReactNode }) {
  return (
    <Link
      to={`/runs/${runId}`}
      className="inline-grid min-h-touch place-items-center border-[1.5px] border-ink bg-sheet px-4 font-semibold"
    >
      {children}
    </Link>
  )
}

const LIFTED = { release: 'released', struck_out: 'canceled', dismissed: 'dismissed' } as const

/** A hold that is over, in a line. */
export function LiftedHold({ hold }: { hold: Hold }) {
  const { t } = useTranslation()
  const figures = useFigures()
  if (!hold.lifted_at) return null
  const when = figures.when(hold.lifted_at)
  const how =
    hold.lifted_how && hold.lifted_how !== 'recheck'
      ? t(`status.${LIFTED[hold.lifted_how]}`, { when, by: hold.lifted_by, reason: hold.lifted_reason })
      : t('status.liftedBy', { when })
  return (
    <li className="border-b border-hair py-1.5">
      {hold.text}{' '}
      <span className="text-soft">
        {t('status.since', { when: figures.when(hold.opened_at) })}, {how}
      </span>
    </li>
  )
}
