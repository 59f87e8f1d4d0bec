import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useSearchParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { FormError, SelectField } from '../../shared/ui'
import { BatchView, Batches } from './Batches'
import { ColumnsForm } from './ColumnsForm'
import {
  batchesQuery,
  saveFeed,
  saveRecording,
  readAtOnce,
  recordingQuery,
  recordingsQuery,
  sendTogether,
  type Asked,
  type Columns,
} from './core'
import { Drop } from './Drop'
import { OneRecording } from './OneRecording'

const AS_FOUND: Asked = {
  ...{ unit_id: '', kind: 'tractor_semitrailer', rules: '', procedure: '', session: 1, moved: [] },
}

/** The trace desk: recorded logs are dropped, their stages are found and judged, and a person says what they are. */
export function TracesPage() {
  const { t } = useTranslation()
  const [params, setParams] = useSearchParams()
  const [asked, setAsked] = useState(AS_FOUND)
  const queries = useQueryClient()
  const recordings = useQuery(recordingsQuery).data ?? []
  const [file, setFile] = useState<File>()
  const [sent, setSent] = useState<{ sent: number; of: number }>()
  const show = (key: 'recording' | 'batch', id: string) =>
    setParams(id ? { [key]: id } : {}, { replace: true })
  const change = (part: Partial<Asked>) => setAsked((now) => ({ ...now, ...part }))
  const keep = useMutation({
    mutationFn: ({ of, columns }: { of: File; columns: Columns }) => saveRecording(of, columns),
    onSuccess: async (kept) => {
      await queries.invalidateQueries({ queryKey: recordingsQuery.queryKey })
      change({ session: 1, moved: [] })
      show('recording', kept.id)
    },
  })
  const together = useMutation({
    mutationFn: (files: File[]) =>
      sendTogether(files, asked, (done) => setSent({ sent: done, of: files.length })),
    onSuccess: async (batch) => {
      await queries.invalidateQueries({ queryKey: batchesQuery.queryKey, exact: true })
      show('batch', batch.id)
    },
    onSettled: () => setSent(undefined),
  })
  const take = (files: File[]) => {
    keep.reset()
    together.reset()
    if (readAtOnce(files)) {
      setFile(files[0])
      keep.mutate({ of: files[0] as File, columns: {} })
    } else {
      setFile(undefined)
      together.mutate(files)
    }
  }
  const feed = useFeedOf(params.get('run'), (id) => show('recording', id))
  const one = useQuery(recordingQuery(params.get('recording') ?? ''))
  const chosen = params.get('recording') ? one.data : undefined
  const batch = params.get('batch')
  const busy = keep.isPending || together.isPending
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4 py-5">
      <div>
        <h1 className="text-title">{t('traces.title')}</h1>
        <p className="mt-1 max-w-prose">{t('traces.lead')}</p>
      </div>
      <div className="flex flex-wrap items-end gap-4">
        <Drop onFiles={take} busy={busy} said={sent && t('traces.sending', sent)} />
        {recordings.length > 0 && (
          <SelectField
            label={t('traces.before')}
            value={chosen?.id ?? ''}
            onChange={(event) => {
              change({ session: 1, moved: [] })
              show('recording', event.target.value)
            }}
            options={[
              { value: '', text: '–' },
              ...recordings.map(({ id, name, sessions, settled }) => ({
                value: id,
                text: `${name}${sessions > 1 ? ` (${settled}/${sessions})` : settled ? ' ✓' : ''}`,
              })),
            ]}
          />
        )}
        <Batches shown={batch} onShow={(id) => show('batch', id)} />
      </div>
      <FormError error={keep.error ?? together.error ?? feed ?? one.error} />
      {file && (keep.error || (keep.data && keep.data.id === chosen?.id)) && (
        <ColumnsForm
          key={file.name}
          names={keep.data?.names ?? []}
          taken={keep.data?.columns ?? {}}
          open={keep.isError}
          onTake={(columns) => keep.mutate({ of: file, columns })}
        />
      )}
      {batch && <BatchView key={batch} id={batch} onShow={(id) => show('recording', id)} />}
      {chosen && <OneRecording key={chosen.id} recording={chosen} asked={asked} onAsk={change} />}
      <p className="max-w-prose text-note text-soft">{t('traces.caution')}</p>
    </div>
  )
}

/** The live feed that was kept with a test, opened once; what went wrong with it. */
function useFeedOf(runId: string | null, onKept: (id: string) => void): Error | null {
  const queries = useQueryClient()
  const { mutate, error } = useMutation({
    mutationFn: saveFeed,
    onSuccess: async (kept) => {
      await queries.invalidateQueries({ queryKey: recordingsQuery.queryKey })
      onKept(kept.id)
    },
  })
  useEffect(() => {
    if (runId) mutate(runId)
  }, [runId, mutate])
  return error
}
