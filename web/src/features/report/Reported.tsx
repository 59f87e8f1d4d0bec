import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { ReasonDialog } from '../../run'
import { useMay } from '../../shared/session'
import { Button } from '../../shared/ui'

/** A test from elsewhere: where from, and what a manager decides or has decided of it. */
export function Reported({ run }: { run: Schema['RunOut'] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const queries = useQueryClient()
  const may = useMay('decideReported')
  const [accepts, setAccepts] = useState<boolean>()
  const decide = useMutation({
    mutationFn: (body: { accept: boolean; reason: string }) =>
      need(api.POST('/api/runs/{run_id}/decision', { params: { path: { run_id: run.id } }, body })),
    onSuccess: () => queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'session' }),
  })
  if (!run.origin) return null
  const { decision } = run
  const word = accepts ? 'accept' : 'dismiss'
  return (
    <section data-origin className="border-l-4 border-ink pl-3">
      <p>{t('log.originSaid', { origin: run.origin })}</p>
      {decision && (
        <p>
          {t(decision.accept ? 'log.reported.accepted' : 'log.reported.dismissed', {
            by: decision.by,
            when: figures.when(decision.at),
            reason: decision.reason,
          })}
        </p>
      )}
      {run.reported && <p className="text-clay">{t('log.reported.decideAbout')}</p>}
      {run.reported && may && (
        <div className="no-print mt-2 flex flex-wrap gap-3">
          <Button onClick={() => setAccepts(true)}>{t('log.reported.accept')}</Button>
          <Button onClick={() => setAccepts(false)}>{t('log.reported.dismiss')}</Button>
        </div>
      )}
      {accepts !== undefined && (
        <ReasonDialog
          title={t(`log.reported.${word}`)}
          label={t('log.reported.decideWhy')}
          button={t(`log.reported.${word}`)}
          tone={accepts ? 'air' : 'clay'}
          onClose={() => setAccepts(undefined)}
          onSave={async (reason) => {
            await decide.mutateAsync({ accept: accepts, reason })
          }}
        />
      )}
    </section>
  )
}
