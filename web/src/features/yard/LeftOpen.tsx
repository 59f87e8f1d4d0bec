import { useMutation, useQuery } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link, useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, openRunsQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useRecorder } from '../../run'
import { Button, Modal } from '../../shared/ui'
import { useKnownRuns } from './useKnownRuns'

type Part = NonNullable<Schema['RunOut']['part']>

interface Open {
  id: string
  unit: string
  driver: string
  started: string
  part: Part
}

/** Runs that were never brought to an end, begun on this device or another: gone on with here, or ended with a reason. */
export function LeftOpen() {
  const { t } = useTranslation()
  const figures = useFigures()
  const state = useRecorder()
  const recorder = 'recorder' in state ? state.recorder : null
  const here = useKnownRuns(recorder)
  const { data: elsewhere = [], refetch } = useQuery(openRunsQuery())
  const [failed, setFailed] = useState(false)
  const [ending, setEnding] = useState<Open>()
  const navigate = useNavigate()
  // whoever takes a test over has joined it, and is shown as having done so
  const takeOver = useMutation({
    mutationFn: async (runId: string) => {
      const head = await need(api.POST('/api/runs/{run_id}/lead', { params: { path: { run_id: runId } } }))
      await recorder?.takePart(head)
      return runId
    },
    onSuccess: (runId) => void navigate(`/test/${runId}`),
  })
  const ids = new Set(here?.map(({ id }) => id))
  const runs: Open[] = [
    ...(here ?? [])
      .filter(({ closed, refused }) => !closed && !refused)
      .map(({ id, unitName, driver, startedWall, part }) => ({
        ...{ id, unit: unitName, driver, started: startedWall },
        part: part ?? 'lead',
      })),
    ...elsewhere
      .filter(({ id }) => !ids.has(id))
      .map(({ id, unit_name, driver, started_at, part }) => ({
        ...{ id, unit: unit_name, driver, started: started_at },
        part: part ?? 'watch',
      })),
  ]
  if (!here || !recorder || runs.length === 0) return null
  return (
    <section className="mb-5 border-l-4 border-amber bg-sheet px-4 py-2">
      <h2 className="text-body">{t('yard.resume')}</h2>
      <ul>
        {runs.map((run) => (
          <li key={run.id} data-open={run.id} className="flex flex-wrap items-center gap-x-4">
            <b>{run.unit}</b>
            <span className="text-soft">
              {[run.driver, figures.when(run.started)].filter(Boolean).join(', ')}
            </span>
            <span className="ml-auto flex gap-4">
              {run.part === 'lead' && (
                <button
                  type="button"
                  onClick={() => setEnding(run)}
                  className="min-h-touch text-soft underline underline-offset-4"
                >
                  {t('yard.endRun')}
                </button>
              )}
              {run.part === 'oversee' && (
                <button
                  type="button"
                  onClick={() => takeOver.mutate(run.id)}
                  className="min-h-touch text-soft underline underline-offset-4"
                >
                  {t('yard.takeOver')}
                </button>
              )}
              <Link
                to={`/test/${run.id}`}
                className="inline-flex min-h-touch items-center font-semibold text-air underline underline-offset-4"
              >
                {t(run.part === 'lead' ? 'yard.resumeRun' : 'yard.watchRun')}
              </Link>
            </span>
          </li>
        ))}
      </ul>
      {takeOver.error && (
        <p role="alert" className="py-2 font-semibold">
          {takeOver.error.message}
        </p>
      )}
      {failed && (
        <p role="alert" className="py-2 font-semibold">
          {t('app.notKept')}
        </p>
      )}
      {ending && (
        <EndDialog
          unit={ending.unit}
          onClose={() => setEnding(undefined)}
          onEnd={(why) => {
            setEnding(undefined)
            setFailed(false)
            recorder.mark(ending.id, [{ type: 'abandoned', why }]).then(
              () => void refetch(),
              () => setFailed(true),
            )
          }}
        />
      )}
    </section>
  )
}

interface EndDialogProps {
  unit: string
  onClose: () => void
  onEnd: (why: string) => void
}

function EndDialog({ unit, onClose, onEnd }: EndDialogProps) {
  const { t } = useTranslation()
  const [why, setWhy] = useState('')
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (why.trim()) onEnd(why.trim())
  }
  return (
    <Modal title={t('yard.endTitle', { unit })} open onClose={onClose}>
      <form onSubmit={submit} className="grid gap-4">
        <label className="grid gap-1">
          {t('yard.endWhy')}
          <input
            autoFocus
            value={why}
            maxLength={200}
            onChange={(event) => setWhy(event.target.value)}
            className="min-h-touch border-[1.5px] border-ink bg-sheet px-3"
          />
        </label>
        <Button type="submit" tone="air" disabled={!why.trim()} className="justify-self-start">
          {t('yard.endRun')}
        </Button>
      </form>
    </Modal>
  )
}
