import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { useFigures } from '../../shared/figures/useFigures'
import { useRulebook } from '../../shared/figures/useRulebook'
import { Button, FormError, Notice, OutcomeMark, SelectField, type AnyOutcome } from '../../shared/ui'
import { batchesQuery, batchLinesQuery, batchQuery, stopBatch, UNENDED, type Batch } from './core'

const MB = 2 ** 20

/** What was dropped together before. */
export function Batches({ shown, onShow }: { shown: string | null; onShow: (id: string) => void }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const batches = useQuery(batchesQuery).data ?? []
  if (batches.length === 0) return null
  return (
    <SelectField
      label={t('traces.batches')}
      value={shown ?? ''}
      onChange={(event) => onShow(event.target.value)}
      options={[
        { value: '', text: '–' },
        ...batches.map(({ id, asked_at, total }) => ({
          value: id,
          text: t('traces.batch', { count: total, when: figures.when(asked_at) }),
        })),
      ]}
    />
  )
}

/** Files that were dropped together: how far they are, and what was found in each. */
export function BatchView({ id, onShow }: { id: string; onShow: (recording: string) => void }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const batch = useQuery(batchQuery(id))
  const stop = useMutation({
    mutationFn: () => stopBatch(id),
    onSettled: () => queries.invalidateQueries({ queryKey: batchesQuery.queryKey }),
  })
  if (!batch.data) return <Notice error={batch.error} onRetry={() => void batch.refetch()} />
  const { state, total, done, failed, outcomes } = batch.data
  return (
    <section data-batch={state} className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
        <h2 className="text-lead font-bold">{t(`traces.states.${state}`)}</h2>
        <Progress batch={batch.data} />
        {UNENDED.includes(state) && <Button onClick={() => stop.mutate()}>{t('traces.stop')}</Button>}
        {Object.entries(outcomes).map(([outcome, count]) => (
          <span key={outcome} className="inline-flex items-center gap-2">
            <span className="num text-lead">{count}</span>
            {outcome === 'unread' ? t('traces.unread') : <OutcomeMark outcome={outcome as AnyOutcome} />}
          </span>
        ))}
        {failed > 0 && (
          <span className="font-semibold text-clay">{t('traces.failed', { count: failed })}</span>
        )}
      </div>
      {batch.data.why && <p className="border-l-4 border-clay pl-3 font-semibold">{batch.data.why}</p>}
      <FormError error={stop.error} />
      {done > 0 && <Lines id={id} done={done} onShow={onShow} />}
      {done === 0 && state === 'done' && total === 0 && <p>{t('traces.none')}</p>}
    </section>
  )
}

function Progress({ batch }: { batch: Batch }) {
  const { t } = useTranslation()
  const { total, done, reading, size } = batch
  const [value, of] = size > 0 && done < total ? [reading, size] : [done, total]
  return (
    <span className="inline-flex items-center gap-3">
      <progress
        value={value}
        max={of || 1}
        aria-label={t('traces.progress')}
        className="h-3 w-48 border border-ink bg-sheet [&::-webkit-progress-bar]:bg-sheet [&::-webkit-progress-value]:bg-air"
      />
      <span className="num">
        {of === size && size > 0
          ? `${Math.round(reading / MB)} / ${Math.round(size / MB)} MB`
          : t('traces.of', { done, total })}
      </span>
    </span>
  )
}

interface LinesProps {
  id: string
  done: number
  onShow: (recording: string) => void
}

function Lines({ id, done, onShow }: LinesProps) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const book = useRulebook()
  const lines = useQuery(batchLinesQuery(id, done)).data ?? []
  const orderOf = (id: string) => book.procedures.find(({ value }) => value === id)?.text ?? id
  return (
    <div className="max-h-[32rem] overflow-auto border-y border-line" tabIndex={0}>
      <table className="w-full text-left" lang={language}>
        <thead className="sticky top-0 bg-paper text-note text-soft">
          <tr>
            <th className="py-1 pr-3 font-normal">{t('traces.file')}</th>
            <th className="pr-3 font-normal">{t('traces.session')}</th>
            <th className="font-normal">{t('traces.found')}</th>
          </tr>
        </thead>
        <tbody>
          {lines.map(({ name, id: recording, sessions, error }, place) => (
            <tr key={place} data-line={name} className="border-t border-hair align-baseline">
              <th scope="row" className="py-1.5 pr-3 font-semibold break-all">
                {recording ? (
                  <button
                    type="button"
                    onClick={() => onShow(recording)}
                    className="min-h-touch text-left underline underline-offset-4"
                  >
                    {name}
                  </button>
                ) : (
                  name
                )}
              </th>
              <td className="num py-2.5 pr-3">{sessions.length || ''}</td>
              <td className="py-1.5">
                {error && <span className="text-clay">{error}</span>}
                {sessions.map((one, n) => (
                  <span key={n} className="mr-6 inline-flex items-center gap-2">
                    {one.overall ? <OutcomeMark outcome={one.overall} /> : <span>{one.error}</span>}
                    {one.order && (
                      <span className="text-note text-soft">
                        {t('traces.foundOf', { order: orderOf(one.order), found: one.found, of: one.stages })}
                      </span>
                    )}
                  </span>
                ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}
