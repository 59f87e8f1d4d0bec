import { useState } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { ReasonDialog, ReportDefect, Unread, useActs, type PartRef } from '../../run'
import { Button } from '../../shared/ui'
import { DefectCard } from './DefectCard'
import { HoldCard, LiftedHold } from './HoldCard'
import { WaitingActs } from './WaitingActs'

/** How a unit stands with what it pulls, what would change that, and what whoever is here may say of it. */
export function Status({ page }: { page: Schema['UnitPageOut'] }) {
  const { t } = useTranslation()
  const act = useActs()
  const [open, setOpen] = useState<'report' | 'hold'>()
  const { unit, status } = page
  const parts = partsOf(unit)
  const [itself] = parts
  const openOnes = status.defects.filter(({ closed }) => !closed)
  const lifted = page.holds.filter(({ lifted_at }) => lifted_at)
  const close = () => setOpen(undefined)
  return (
    <section aria-label={status.text} className="grid gap-3">
      <Due status={status} />
      <WaitingActs partIds={parts.map(({ id }) => id)} />
      {status.holds.length > 0 && <h2 className="sr-only">{t('workshop.holds')}</h2>}
      {status.holds.map((hold) => (
        <HoldCard key={hold.id} hold={hold} defects={status.defects} />
      ))}
      <Unread defects={status.defects} />
      {openOnes.length > 0 && <h2 className="sr-only">{t('workshop.defects')}</h2>}
      {openOnes.map((defect) => (
        <DefectCard key={defect.id} defect={defect} beside={openOnes} />
      ))}
      {!unit.retired && (
        <div className="flex flex-wrap gap-3">
          <Link
            to={`/test/new/${unit.id}`}
            className="inline-grid min-h-touch place-items-center bg-air px-6 font-semibold text-on-air"
          >
            {t('yard.startFor', { unit: unit.name })}
          </Link>
          <Button onClick={() => setOpen('report')}>{t('acts.reportShort')}</Button>
          <Button onClick={() => setOpen('hold')}>{t('acts.placeHold')}</Button>
        </div>
      )}
      {lifted.length > 0 && (
        <ul className="text-note">
          {lifted.slice(0, 3).map((hold) => (
            <LiftedHold key={hold.id} hold={hold} />
          ))}
        </ul>
      )}
      {open === 'report' && <ReportDefect {...{ parts }} rules={unit.rules} onClose={close} />}
      {open === 'hold' && itself && (
        <ReasonDialog
          title={t('acts.placeHoldTitle', { unit: unit.name })}
          label={t('acts.placeHoldWhy')}
          button={t('acts.placeHold')}
          tone="clay"
          onClose={close}
          onSave={(reason) => act('hold_placed', itself, { reason })}
        />
      )}
    </section>
  )
}

function Due({ status }: { status: Schema['UnitStatusOut'] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { passed_at, due_at } = status
  const word = status.status === 'overdue' ? 'status.overdueSince' : 'status.due_'
  return (
    <p>
      {status.text}.{' '}
      <span className="text-soft">
        {passed_at ? t('status.lastPass', { when: figures.when(passed_at) }) : t('status.neverPassed')}
        {due_at && `, ${t(word, { day: figures.lastDay(due_at) })}`}.
      </span>
    </p>
  )
}

/** The unit, then what it pulls today. */
export const partsOf = (unit: Schema['UnitOut']): PartRef[] => [
  { kind: 'unit', id: unit.id, name: unit.name },
  ...unit.trailer_ids.map((id, n) => ({ kind: 'trailer' as const, id, name: unit.trailers[n] ?? '' })),
]
