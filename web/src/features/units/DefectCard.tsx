import { useState } from 'react'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMayAct, useSession } from '../../shared/session'
import { ReasonDialog, useActs, type PartRef } from '../../run'
import { Button } from '../../shared/ui'
import { RateDialog } from './RateDialog'
import { RepairDialog } from './RepairDialog'

type Defect = Schema['DefectOut']

/** A defect that is not closed: what, where, what it means, how far it has come, and what may be done about it. */
export function DefectCard({ defect, beside }: { defect: Defect; beside: Defect[] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { me } = useSession()
  const act = useActs()
  const [open, setOpen] = useState<'repair' | 'none' | 'rate'>()
  const [failed, setFailed] = useState<Error>()
  const part: PartRef = { kind: defect.part_kind, id: defect.part_id, name: defect.part }
  const [mends, takes] = [useMayAct('repaired'), useMayAct('defect_taken')]
  const stays = defect.consequence === 'stay'
  const close = () => setOpen(undefined)
  const quickly = (type: 'defect_taken' | 'acknowledged' | 'trip_over', body: Record<string, unknown>) =>
    void act(type, part, body).catch(setFailed)
  return (
    <article
      data-defect={defect.state}
      className={`border-l-8 bg-sheet px-4 py-3 ${stays ? 'border-clay' : 'border-line'}`}
    >
      <h3 className="text-lead leading-snug">
        {defect.part}{' '}
        <span className="font-normal text-soft">
          {t('status.seenBy', { by: defect.by, when: figures.when(defect.seen_at) })}
        </span>
      </h3>
      <p className="font-semibold">{defect.text}</p>
      <p>
        <b className={stays ? 'text-clay' : ''}>{defect.means}</b>
        <span className="text-soft">
          {', '}
          {defect.certified_at
            ? t('status.certified', {
                state: defect.state_text,
                by: defect.certified_by,
                when: figures.when(defect.certified_at),
              })
            : defect.taken_by
              ? t('status.takenBy', { by: defect.taken_by })
              : defect.state_text}
        </span>
      </p>
      {defect.photos.length > 0 && (
        <ul className="mt-2 flex flex-wrap gap-2">
          {defect.photos.map((hash, n) => (
            <li key={hash}>
              <a href={`/api/photos/${hash}`} target="_blank" rel="noreferrer">
                <img
                  src={`/api/photos/${hash}`}
                  alt={t('acts.photoOf', { n: n + 1, what: defect.text })}
                  loading="lazy"
                  className="h-24 w-32 border border-line object-cover"
                />
              </a>
            </li>
          ))}
        </ul>
      )}
      {defect.recheck_item && <p className="text-clay">{t('status.recheckItem')}</p>}
      {defect.recheck.length > 0 && (
        <p>
          {t('status.recheckStages')} {defect.recheck.map((stage) => t(`step.${stage}`)).join(', ')}
        </p>
      )}
      <div className="mt-2 flex flex-wrap gap-3">
        {takes && defect.state === 'open' && (
          <Button onClick={() => quickly('defect_taken', { defect: defect.id })}>{t('acts.take')}</Button>
        )}
        {mends && !defect.certified_at && (
          <>
            <Button tone="air" onClick={() => setOpen('repair')}>
              {t('acts.repaired')}
            </Button>
            <Button onClick={() => setOpen('none')}>{t('acts.noRepair')}</Button>
          </>
        )}
        {!defect.certified_at && <Button onClick={() => setOpen('rate')}>{t('acts.rate')}</Button>}
        {defect.certified_at && defect.recheck.length > 0 && defect.part_kind === 'unit' && (
          <Link
            to={`/test/new/${defect.part_id}`}
            className="inline-grid min-h-touch place-items-center border-[1.5px] border-air bg-sheet px-4 font-semibold text-air"
          >
            {t('acts.recheck')}
          </Link>
        )}
        {defect.consequence === 'finish' && !defect.certified_at && (
          <Button onClick={() => quickly('trip_over', {})}>{t('acts.tripOver')}</Button>
        )}
      </div>
      {failed && (
        <p role="alert" className="font-semibold text-clay">
          {failed.message}
        </p>
      )}
      {open === 'repair' && (
        <RepairDialog {...{ part }} holds={[]} defects={beside} chosen={[defect.id]} onClose={close} />
      )}
      {open === 'rate' && <RateDialog {...{ defect, part }} mayLower={me.milder} onClose={close} />}
      {open === 'none' && (
        <ReasonDialog
          title={t('acts.noRepairTitle', { unit: defect.part })}
          label={t('acts.noRepairWhy')}
          button={t('acts.noRepair')}
          onClose={close}
          onSave={(reason) => act('no_repair', part, { defect: defect.id, reason })}
        />
      )}
    </article>
  )
}
