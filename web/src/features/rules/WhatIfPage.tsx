import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link, useSearchParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type LogOutcome, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useRulebook } from '../../shared/figures/useRulebook'
import {
  Button,
  FormError,
  Notice,
  OutcomeMark,
  SelectField,
  TextField,
  type AnyOutcome,
} from '../../shared/ui'
import { latestOf, refOf } from './drafts'
import { editionsQuery, whatIfLinesQuery, whatIfsQuery } from './queries'

type Job = Schema['WhatIfOut']
const OUTCOMES = ['pass', 'close_call', 'fail', 'void', 'incomplete'] as const

/** Every test again under other rules: asked here, answered beside everything else, kept. */
export function WhatIfPage() {
  const { t } = useTranslation()
  const [params, setParams] = useSearchParams()
  const jobs = useQuery(whatIfsQuery())
  if (!jobs.data) return <Notice error={jobs.error} onRetry={() => void jobs.refetch()} />
  const shown = jobs.data.find(({ id }) => id === params.get('job')) ?? jobs.data[0]
  const show = (id: string) => setParams({ job: id }, { replace: true })
  return (
    <div className="grid gap-x-10 gap-y-6 lg:grid-cols-[20rem_1fr]">
      <div className="grid content-start gap-6">
        <Ask onAsked={(job) => show(job.id)} />
        {jobs.data.length > 0 && (
          <section>
            <h2 className="pb-1 text-lead">{t('rules.asked')}</h2>
            <ul className="border-t-[1.5px] border-ink">
              {jobs.data.map((job) => (
                <li key={job.id} className="border-b border-hair">
                  <button
                    type="button"
                    aria-pressed={job.id === shown?.id}
                    onClick={() => show(job.id)}
                    className="grid min-h-touch w-full py-1.5 text-left aria-pressed:bg-sheet aria-pressed:font-semibold"
                  >
                    <Asked job={job} />
                  </button>
                </li>
              ))}
            </ul>
          </section>
        )}
      </div>
      {shown && <Answer key={shown.id} job={shown} />}
    </div>
  )
}

function Asked({ job }: { job: Job }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { search, outcome } = job.choice as { search?: string; outcome?: AnyOutcome }
  return (
    <>
      <span>
        {job.title[figures.language]}
        {search ? `, ${search}` : ''}
        {outcome ? `, ${t(`outcome.${outcome}`)}` : ''}
      </span>
      <span className="text-note font-normal text-soft">
        {t(`rules.jobStates.${job.state}`)}, {figures.when(job.asked_at)}, {job.asked_by}
      </span>
    </>
  )
}

function Ask({ onAsked }: { onAsked: (job: Job) => void }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const queries = useQueryClient()
  const book = useRulebook()
  const editions = useQuery(editionsQuery())
  const [fields, setFields] = useState({ rules: '', search: '', outcome: '', since: '', until: '' })
  const drafts = latestOf(editions.data ?? [], 'rules').filter(({ state }) => state === 'draft')
  const options = [
    ...drafts.map((one) => ({
      value: refOf(one),
      text: `${one.title[figures.language] ?? one.name}, ${t('rules.states.draft')}`,
    })),
    ...book.rules,
  ]
  const rules = fields.rules || options[0]?.value || ''
  const ask = useMutation({
    mutationFn: () =>
      need(
        api.POST('/api/what-if', {
          body: {
            rules,
            search: fields.search,
            outcome: (fields.outcome || null) as LogOutcome | null,
            since: fields.since ? new Date(`${fields.since}T00:00`).toISOString() : null,
            until: fields.until ? endOf(fields.until) : null,
          },
        }),
      ),
    onSuccess: async (job) => {
      await queries.invalidateQueries({ queryKey: ['what-if'], exact: true })
      onAsked(job)
    },
  })
  const line = (key: keyof typeof fields) => ({
    value: key === 'rules' ? rules : fields[key],
    onChange: (event: { target: { value: string } }) =>
      setFields((now) => ({ ...now, [key]: event.target.value })),
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    ask.mutate()
  }
  return (
    <form onSubmit={submit} className="grid gap-3 pt-3">
      <h2 className="text-lead">{t('rules.whatIfTitle')}</h2>
      <p className="text-note text-soft">{t('rules.whatIfBody')}</p>
      <SelectField label={t('rules.under')} options={options} {...line('rules')} />
      <TextField label={t('rules.ofUnit')} maxLength={100} {...line('search')} />
      <div className="grid grid-cols-2 gap-3">
        <TextField type="date" label={t('rules.sinceDay')} {...line('since')} />
        <TextField type="date" label={t('rules.untilDay')} {...line('until')} />
      </div>
      <SelectField
        label={t('rules.outcome')}
        options={[
          { value: '', text: t('log.all') },
          ...OUTCOMES.map((value) => ({
            value,
            text: value === 'close_call' ? t('log.closeCall') : t(`outcome.${value}`),
          })),
        ]}
        {...line('outcome')}
      />
      <FormError error={ask.error} />
      <Button type="submit" tone="air" disabled={ask.isPending || !rules}>
        {t('rules.ask')}
      </Button>
    </form>
  )
}

/** The first moment of the day after. */
function endOf(day: string): string {
  const date = new Date(`${day}T00:00`)
  date.setDate(date.getDate() + 1)
  return date.toISOString()
}

function Answer({ job }: { job: Job }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const queries = useQueryClient()
  const stop = useMutation({
    mutationFn: () => need(api.POST('/api/what-if/{job_id}/stop', { params: { path: { job_id: job.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ['what-if'], exact: true }),
  })
  const busy = job.state === 'waiting' || job.state === 'running'
  const share = job.total > 0 ? job.done / job.total : 0
  return (
    <section aria-live="polite" className="grid content-start gap-4 pt-3" data-answer={job.state}>
      <div className="grid">
        <Asked job={job} />
      </div>
      {busy && (
        <div className="grid gap-2">
          <div
            role="progressbar"
            aria-label={t('rules.progress', { done: job.done, total: job.total })}
            aria-valuemin={0}
            aria-valuemax={job.total}
            aria-valuenow={job.done}
            className="h-5 border-[1.5px] border-ink bg-sheet"
          >
            <div className="h-full bg-air" style={{ width: `${share * 100}%` }} />
          </div>
          <div className="flex items-center justify-between">
            <span className="num text-figure">
              {t('rules.progress', {
                done: job.done.toLocaleString(figures.language),
                total: job.total.toLocaleString(figures.language),
              })}
            </span>
            <Button disabled={stop.isPending} onClick={() => stop.mutate()}>
              {t('rules.cancel')}
            </Button>
          </div>
        </div>
      )}
      {job.why && <p className="font-semibold text-clay">{job.why}</p>}
      <div className="flex flex-wrap items-end gap-x-10 gap-y-4">
        <p>
          <span className="num block text-bar leading-none">
            {job.changed.toLocaleString(figures.language)}
          </span>
          {t('rules.wouldChange', { total: job.done.toLocaleString(figures.language) })}
        </p>
        <ul className="grid gap-1">
          {job.ways.map(({ before, after, runs }) => (
            <li key={before + after} className="flex items-center gap-3">
              <b className="num w-12 text-right text-figure">{runs}</b>
              <OutcomeMark outcome={before} /> <span aria-hidden>→</span> <OutcomeMark outcome={after} />
            </li>
          ))}
        </ul>
        <ul className="flex max-w-md flex-wrap gap-x-4">
          {job.units.map(({ unit, runs }) => (
            <li key={unit}>
              {unit} <b className="num">{runs}</b>
            </li>
          ))}
        </ul>
      </div>
      {job.unread > 0 && <p className="text-note">{t('rules.unread', { count: job.unread })}</p>}
      {job.lines > 0 ? (
        <Lines job={job} />
      ) : (
        job.state === 'done' && <p className="text-lead">{t('rules.nothingChanges')}</p>
      )}
    </section>
  )
}

const PAGE = 100

function Lines({ job }: { job: Job }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const [after, setAfter] = useState(0)
  const lines = useQuery(whatIfLinesQuery(job.id, job.lines, after, figures.language, figures.unit))
  const query = `lang=${figures.language}&unit=${figures.unit}`
  return (
    <div>
      <div className="flex flex-wrap items-center justify-between gap-3">
        <p className="text-note text-soft">
          {job.lines.toLocaleString(figures.language)}{' '}
          {t('rules.stagesChange', { total: job.done.toLocaleString(figures.language) })}
        </p>
        <a
          href={`/api/what-if/${job.id}/csv?${query}`}
          download
          className="inline-flex min-h-touch items-center font-semibold underline underline-offset-4"
        >
          {t('rules.asCsv')}
        </a>
      </div>
      <table className="w-full border-collapse text-left align-top" data-lines>
        <thead className="text-note text-soft">
          <tr className="border-b-[1.5px] border-ink">
            <th className="py-1.5 pr-3 font-semibold">{t('log.unit')}</th>
            <th className="pr-3 font-semibold">{t('rules.then')}</th>
            <th className="font-semibold">{t('rules.now')}</th>
          </tr>
        </thead>
        <tbody>
          {lines.data?.map((line) => (
            <tr key={line.run_id} className="border-b border-hair align-top">
              <th scope="row" className="py-2 pr-3 text-left font-normal whitespace-nowrap">
                <Link to={`/runs/${line.run_id}`} className="font-bold underline-offset-4 hover:underline">
                  {line.unit}
                </Link>
                <small className="block text-note text-soft">{figures.date(line.started_at)}</small>
                <small className="block text-note text-soft">{line.driver}</small>
              </th>
              <td className="py-2 pr-3">
                <OutcomeMark outcome={line.before} />
                {line.stages.map((stage) => (
                  <Sum key={stage.stage} stage={stage.stage} outcome={stage.before} text={stage.was} />
                ))}
              </td>
              <td className="py-2">
                <OutcomeMark outcome={line.after} />
                {line.stages.map((stage) => (
                  <Sum key={stage.stage} stage={stage.stage} outcome={stage.after} text={stage.now} />
                ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {job.lines > PAGE && (
        <div className="flex gap-3 py-3">
          <Button disabled={after === 0} onClick={() => setAfter(Math.max(0, after - PAGE))}>
            ←
          </Button>
          <Button disabled={after + PAGE >= job.lines} onClick={() => setAfter(after + PAGE)}>
            {t('rules.moreLines')}
          </Button>
        </div>
      )}
    </div>
  )
}

function Sum({
  stage,
  outcome,
  text,
}: {
  stage: Schema['ChangedStageOut']['stage']
  outcome: AnyOutcome
  text: string
}) {
  const { t } = useTranslation()
  return (
    <p className="text-note">
      <span className="text-soft">{t(`step.${stage}`)}: </span>
      {text || t(`outcome.${outcome}`)}
    </p>
  )
}
