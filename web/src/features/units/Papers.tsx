import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, papersQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useSession } from '../../shared/session'
import { Button, FormError, Modal, Notice, TextField } from '../../shared/ui'

type Paper = Schema['PaperOut']

const KEEPERS: readonly unknown[] = ['workshop', 'manager']

/** The papers of the set and of whoever looks: which run out, until when each is good, what each must match. */
export function Papers({ unitId }: { unitId: string }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { me } = useSession()
  const { data, error, refetch } = useQuery(papersQuery(unitId))
  const [entering, setEntering] = useState<Paper>()
  const keeper = KEEPERS.includes(me.person?.role)
  return (
    <section data-papers>
      <h2 className="mb-2 text-lead">{t('inspection.papers.title')}</h2>
      {!data && <Notice error={error} onRetry={() => void refetch()} />}
      <ul>
        {(data ?? []).map((one) => (
          <li
            key={one.holder_id + one.paper}
            data-paper={one.paper}
            data-status={one.status}
            className="flex items-center gap-3 border-b border-line py-1"
          >
            <span className="grow">
              {one.name}{' '}
              <span className="text-note text-soft">
                {one.holder_kind === 'person' ? t('inspection.papers.own') : one.holder}
                {one.match && `. ${t('inspection.papers.match', { match: one.match })}`}
              </span>
            </span>
            <span
              className={`shrink-0 text-right text-note whitespace-nowrap ${one.status === 'expired' ? 'font-bold text-clay' : one.status === 'soon' ? 'font-bold' : 'text-soft'}`}
            >
              {one.dated && t(`inspection.papers.status.${one.status}`)}
              {one.until && <span className="block">{figures.shortDay(`${one.until}T12:00:00`)}</span>}
            </span>
            {one.dated && (keeper || one.holder_kind === 'person') && (
              <button
                type="button"
                aria-label={`${t('inspection.papers.set')}: ${one.name}`}
                onClick={() => setEntering(one)}
                className="min-h-touch min-w-touch underline underline-offset-4"
              >
                {t('inspection.papers.set')}
              </button>
            )}
          </li>
        ))}
      </ul>
      {entering && <PaperDialog paper={entering} {...{ unitId }} onClose={() => setEntering(undefined)} />}
    </section>
  )
}

function PaperDialog({ paper, unitId, onClose }: { paper: Paper; unitId: string; onClose: () => void }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [until, setUntil] = useState(paper.until ?? '')
  const [number, setNumber] = useState(paper.number)
  const keep = useMutation({
    mutationFn: () =>
      need(
        api.PUT('/api/papers/{holder_kind}/{holder_id}/{paper}', {
          params: {
            path: { holder_kind: paper.holder_kind, holder_id: paper.holder_id, paper: paper.paper },
          },
          body: { until: until || null, number },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['unit', unitId, 'papers'] })
      onClose()
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    keep.mutate()
  }
  return (
    <Modal title={`${paper.name}, ${paper.holder}`} open onClose={onClose}>
      <form onSubmit={submit} className="grid gap-4">
        <TextField
          type="date"
          label={t('inspection.papers.day')}
          value={until}
          onChange={(event) => setUntil(event.target.value)}
        />
        <TextField
          label={t('inspection.papers.number')}
          value={number}
          maxLength={60}
          onChange={(event) => setNumber(event.target.value)}
        />
        <p className="text-note text-soft">{paper.source}</p>
        <FormError error={keep.error} />
        <Button type="submit" tone="air" disabled={keep.isPending} className="justify-self-start">
          {t('inspection.papers.keep')}
        </Button>
      </form>
    </Modal>
  )
}
