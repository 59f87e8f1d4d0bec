import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay } from '../../shared/session'
import { Button, FormError } from '../../shared/ui'
import { examinationQuery } from './examinationQuery'

type Report = Schema['ExaminationOut']

/** The candidate's own report, apart from the vehicle's: what was found, what was asked, and what the examiner decided. */
export function Examination({ runId, ended }: { runId: string; ended: boolean }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const tells = useMay('announceExamination')
  const report = useQuery(examinationQuery(runId, figures.language, figures.unit)).data
  if (!report) return null
  return (
    <section
      data-examination
      className="grid gap-3 border-2 border-ink bg-sheet p-4 print:break-inside-avoid"
    >
      <h2 className="text-title">{t('learn.exam.report', { name: report.candidate || '–' })}</h2>
      {report.passed !== null ? (
        <p className="text-lead">
          <b>{t(report.passed ? 'learn.exam.passed' : 'learn.exam.notPassed')}</b>
          {report.examiner && ` · ${report.examiner}`}
          {report.told_at && ` · ${figures.when(report.told_at)}`}
        </p>
      ) : (
        <p className="text-soft">{t('learn.exam.untold')}</p>
      )}
      {report.remark && <p>{report.remark}</p>}
      <Found report={report} />
      {report.passed === null && tells && ended && !report.withheld && <Decide runId={runId} />}
      <p className="text-note text-soft">{t('learn.exam.apart')}</p>
    </section>
  )
}

function Found({ report }: { report: Report }) {
  const { t } = useTranslation()
  return (
    <>
      {!report.withheld && report.findings.length === 0 && <p>{t('learn.debrief.none')}</p>}
      <ul className="grid gap-1">
        {report.findings.map(({ code, text, critical }) => (
          <li key={code} className={`border-l-4 pl-3 ${critical ? 'border-clay' : 'border-amber'}`}>
            {critical && <b>{t('learn.debrief.critical')}: </b>}
            {text}
          </li>
        ))}
      </ul>
      <ul>
        {report.asked.map(({ stage, named, granted }, n) => (
          <li key={n}>
            {t('learn.exam.asks', { stage: t(`step.${stage}`) })},{' '}
            {t(named ? 'learn.exam.named' : 'learn.exam.noReason')},{' '}
            {t(granted ? 'learn.exam.granted' : 'learn.exam.notGranted')}
          </li>
        ))}
      </ul>
      {report.closing && (
        <p>
          {t('learn.exam.said')}: <b>{t(`learn.exam.closing.${report.closing}`)}</b>
        </p>
      )}
    </>
  )
}

/** The examiner decides, says why, and tells it: once. */
function Decide({ runId }: { runId: string }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [remark, setRemark] = useState('')
  const tell = useMutation({
    mutationFn: (passed: boolean) =>
      need(
        api.PUT('/api/runs/{run_id}/examination', {
          params: { path: { run_id: runId } },
          body: { passed, remark },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['examination', runId] }),
  })
  return (
    <div className="no-print grid gap-2 border-t border-line pt-3">
      <label className="grid gap-1">
        <span className="text-note text-soft">{t('learn.exam.remark')}</span>
        <textarea
          value={remark}
          rows={2}
          maxLength={2000}
          onChange={(event) => setRemark(event.target.value)}
          className="border-[1.5px] border-ink bg-paper px-3 py-2"
        />
      </label>
      <div className="flex gap-2">
        <Button disabled={tell.isPending} onClick={() => tell.mutate(true)}>
          {t('learn.exam.tellPassed')}
        </Button>
        <Button disabled={tell.isPending} onClick={() => tell.mutate(false)}>
          {t('learn.exam.tellNot')}
        </Button>
      </div>
      <FormError error={tell.error} />
    </div>
  )
}

/** What a candidate sees until the examiner has told the result. */
export function Withheld() {
  const { t } = useTranslation()
  return (
    <div className="grid gap-3 py-8" data-withheld>
      <h1 className="text-title">{t('learn.exam.thanks')}</h1>
      <p className="max-w-prose text-lead">{t('learn.exam.withheld')}</p>
    </div>
  )
}
