import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type DragEvent } from 'react'
import { useTranslation } from 'react-i18next'
import { rulebookQuery, type Schema } from '../../shared/api'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { trade } from '../../shared/trade.gen'
import { Button, FormError, OutcomeMark, SelectField, type AnyOutcome } from '../../shared/ui'
import { judgedQuery, keepRecording, recordingsQuery, type Asked, type Judged, type Recording } from './core'
import { TraceView } from './TraceView'

const KINDS = Object.keys(trade.en.kind) as Asked['kind'][]

/** The trace desk: a recorded log is dropped, its stages are found and judged, and a person may move them. */
export function TracesPage() {
  const { t } = useTranslation()
  const [chosen, setChosen] = useState<Recording>()
  const queries = useQueryClient()
  const recordings = useQuery(recordingsQuery).data ?? []
  const [over, setOver] = useState(false)
  const keep = useMutation({
    mutationFn: (file: File) => keepRecording(file, {}),
    onSuccess: (kept) => {
      setChosen(kept)
      void queries.invalidateQueries({ queryKey: recordingsQuery.queryKey })
    },
  })
  const drop = (event: DragEvent) => {
    event.preventDefault()
    setOver(false)
    const file = event.dataTransfer.files[0]
    if (file) keep.mutate(file)
  }
  return (
    <div className="grid gap-4 py-5">
      <div>
        <h1 className="text-title">{t('traces.title')}</h1>
        <p className="mt-1 max-w-prose">{t('traces.lead')}</p>
      </div>
      <div className="flex flex-wrap items-end gap-4">
        <label
          onDragOver={(event) => {
            event.preventDefault()
            setOver(true)
          }}
          onDragLeave={() => setOver(false)}
          onDrop={drop}
          className={`inline-flex min-h-14 cursor-pointer items-center border-2 border-dashed border-ink px-6 font-semibold focus-within:outline-2 ${over ? 'bg-hair' : 'bg-sheet'}`}
        >
          {t(keep.isPending ? 'traces.reading' : 'traces.drop')}
          <input
            type="file"
            className="sr-only"
            onChange={(event) => {
              const file = event.target.files?.[0]
              if (file) keep.mutate(file)
              event.target.value = ''
            }}
          />
        </label>
        {recordings.length > 0 && (
          <SelectField
            label={t('traces.before')}
            value={chosen?.id ?? ''}
            onChange={(event) => setChosen(recordings.find(({ id }) => id === event.target.value))}
            options={[
              { value: '', text: '–' },
              ...recordings.map(({ id, name }) => ({ value: id, text: name })),
            ]}
          />
        )}
      </div>
      <FormError error={keep.error} />
      {chosen && <OneRecording key={chosen.id} recording={chosen} />}
      <p className="max-w-prose text-note text-soft">{t('traces.caution')}</p>
    </div>
  )
}

function OneRecording({ recording }: { recording: Recording }) {
  const { t } = useTranslation()
  const { language, unit } = useFigures()
  const book = useQuery(rulebookQuery()).data
  // a recording is judged by what is built in: a fleet's own sets are its units'
  const titled = (rows: { id: string; title: Record<string, string>; own: boolean }[] | undefined) =>
    (rows ?? [])
      .filter(({ own }) => !own)
      .map(({ id, title }) => ({ value: id, text: title[language] ?? id }))
  const orders = titled(book?.procedures)
  const [asked, setAsked] = useState<Asked>({
    ...{ kind: 'tractor_semitrailer', rules: 'us-cdl', procedure: '', session: 1, moved: [] },
  })
  const [stage, setStage] = useState(0)
  const judged = useQuery(judgedQuery(recording.id, asked, language, unit))
  // what is moved lies in an order: another one has other places
  const change = (part: Partial<Asked>) => setAsked({ ...asked, moved: [], ...part })
  const move = (place: number, from_s: number, to_s: number) =>
    setAsked({
      ...asked,
      procedure: asked.procedure || (judged.data?.procedure ?? ''),
      moved: [...asked.moved.filter((one) => one.place !== place), { place, from_s, to_s }],
    })
  const found = judged.data
  return (
    <section data-recording={recording.id} className="grid gap-4">
      <div className="flex flex-wrap items-end gap-4">
        <SelectField
          label={t('traces.kind')}
          value={asked.kind}
          onChange={(event) => change({ kind: event.target.value as Asked['kind'] })}
          options={KINDS.map((value) => ({ value, text: t(`kind.${value}`) }))}
        />
        <SelectField
          label={t('setup.rules')}
          value={asked.rules}
          onChange={(event) => change({ rules: event.target.value })}
          options={titled(book?.rules)}
        />
        <SelectField
          label={t('setup.procedure')}
          value={asked.procedure}
          onChange={(event) => change({ procedure: event.target.value })}
          options={[
            {
              value: '',
              text: found
                ? t('traces.guessed', {
                    order: orders.find(({ value }) => value === found.procedure)?.text ?? '',
                  })
                : '–',
            },
            ...orders,
          ]}
        />
        {found && found.sessions > 1 && (
          <SelectField
            label={t('traces.session')}
            value={String(asked.session)}
            onChange={(event) => change({ session: Number(event.target.value) })}
            options={Array.from({ length: found.sessions }, (_, n) => ({
              value: String(n + 1),
              text: `${n + 1} / ${found.sessions}`,
            }))}
          />
        )}
        <Button
          disabled={asked.moved.length === 0}
          onClick={() => setAsked({ ...asked, moved: asked.moved.slice(0, -1) })}
        >
          {t('traces.undo')}
        </Button>
      </div>
      <p className="text-note text-soft" data-columns>
        {recording.name} · {recording.format} ·{' '}
        {Object.entries(recording.columns)
          .map(([what, column]) => `${what}: ${column}`)
          .join(', ')}
        {found && found.step_psi > 0 && ` · ${t('traces.steps', { psi: found.step_psi })}`}
      </p>
      <FormError error={judged.error} />
      {found && (
        <>
          <TraceView judged={found} chosen={stage} onChoose={setStage} onMove={move} />
          <Stages judged={found} chosen={stage} onChoose={setStage} />
        </>
      )}
    </section>
  )
}

interface StagesProps {
  judged: Judged
  chosen: number
  onChoose: (place: number) => void
}

/** Every stage of the order: where it is, its numbers with what they leave open, and what was judged of it. */
function Stages({ judged, chosen, onChoose }: StagesProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const overall = judged.verdict.overall as AnyOutcome
  const told = ({ value, low, high }: { value: number; low: number; high: number }, name: string) => {
    const show = name.endsWith('_psi') ? (psi: number) => figures.reading(psi) : figures.seconds
    const of = name.endsWith('_psi') ? unitLabel[figures.unit] : 's'
    return `${show(value)} ${of} (${show(low)}–${show(high)})`
  }
  return (
    <div className="overflow-x-auto" tabIndex={0}>
      <h2 className="flex items-center gap-3 text-lead font-bold">
        {t('traces.found')} <OutcomeMark outcome={overall} />
      </h2>
      <table className="mt-1 w-full text-left" data-found>
        <tbody>
          {judged.stages.map((one, place) => {
            const verdict = verdictOf(judged, place)
            return (
              <tr
                key={place}
                data-stage={one.stage}
                data-moved={one.moved}
                className={`border-t border-line align-top ${place === chosen ? 'bg-hair' : ''}`}
              >
                <th scope="row" className="py-1 pr-3">
                  <button
                    type="button"
                    disabled={one.from_s === null}
                    onClick={() => onChoose(place)}
                    className="min-h-touch text-left font-semibold underline underline-offset-4 disabled:no-underline"
                  >
                    {t(`step.${one.stage}`)}
                  </button>
                  {one.moved && <span className="ml-2 text-note text-soft">{t('traces.moved')}</span>}
                </th>
                <td className="num py-2.5 pr-3">
                  {one.from_s === null
                    ? t('traces.unseen')
                    : Object.entries(one.measured)
                        .filter(([name]) => name !== 'hold_s')
                        .map(([name, figure]) => told(figure, name))
                        .join(' · ')}
                </td>
                <td className="py-2">
                  {verdict && (
                    <OutcomeMark outcome={verdict.outcome as AnyOutcome} closeCall={verdict.close_call} />
                  )}
                </td>
                <td className="py-2.5 text-note">
                  {verdict?.limit?.words}
                  {verdict?.findings
                    .filter(({ code }) => code === 'astride_limit')
                    .map(({ code, text }) => (
                      <b key={code} className="block">
                        {text}
                      </b>
                    ))}
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </div>
  )
}

/** The attempt that is judged at a place: the second cut-out of an order is its second attempt. */
function verdictOf(judged: Judged, place: number): Schema['StageOut'] | undefined {
  const stage = judged.stages[place]
  if (!stage || stage.from_s === null) return undefined
  const before = judged.stages
    .slice(0, place)
    .filter((one) => one.stage === stage.stage && one.from_s !== null)
  const attempts = judged.verdict.stages.filter((one) => one.stage === stage.stage)
  return attempts[before.length] ?? attempts.at(-1)
}
