import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, FormError } from '../../shared/ui'
import { useActs, useWaitingActs } from './useActs'

/** What was reported and has been certified since: the next driver reads it and says so. */
export function Unread({ defects }: { defects: Schema['DefectOut'][] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const act = useActs()
  const { acts } = useWaitingActs()
  const [error, setError] = useState<Error | null>(null)
  const said = acts.filter(({ act: { type } }) => type === 'acknowledged')
  const read = new Set(said.flatMap(({ act: { body } }) => (Array.isArray(body.defects) ? body.defects : [])))
  const unread = defects.filter(({ id, unread }) => unread && !read.has(id))
  if (unread.length === 0) return null
  return (
    <section data-unread className="border-l-8 border-line bg-sheet px-4 py-3 md:col-span-2">
      <h2 className="text-body font-semibold">{t('status.doneSince')}</h2>
      <ul>
        {unread.map((defect) => (
          <li key={defect.id} className="flex flex-wrap items-center gap-x-4 border-b border-hair py-1">
            <span className="min-w-0 grow basis-60">
              <b>{defect.part}</b> {defect.text}
              <span className="block text-soft">
                {t('status.certified', {
                  state: defect.state_text,
                  by: defect.certified_by,
                  when: figures.when(defect.certified_at ?? defect.seen_at),
                })}
                : {defect.did}
              </span>
            </span>
            <Button
              onClick={() => {
                const part = { kind: defect.part_kind, id: defect.part_id, name: defect.part }
                void act('acknowledged', part, { defects: [defect.id] }).catch(setError)
              }}
            >
              {t('acts.acknowledge')}
            </Button>
          </li>
        ))}
      </ul>
      <FormError error={error} />
    </section>
  )
}
