import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { markName, useRecorder } from '../../run'
import { type DeviceMark } from '../../device'
import { useMay, useSession } from '../../shared/session'
import { LineForm, Modal, OutcomeMark } from '../../shared/ui'

type Report = Schema['ReportOut']
type Late = Schema['LateOut']
const MAY_CONFIRM = new Set(['trainer', 'manager'])

/** What came in after the end, what of it counts, and what a newer core would say: the result at the end is kept. */
export function AfterTheEnd({ report }: { report: Report }) {
  const { t } = useTranslation()
  const { at_end: atEnd, differs, looked, outcome } = report
  const late = report.verdict.late ?? []
  if (late.length === 0 && !differs && !looked && (!atEnd || atEnd.outcome === outcome)) return null
  return (
    <section className="border-l-4 border-amber pl-4">
      <h2 className="text-lead first-letter:uppercase">{t('report.afterEnd')}</h2>
      {atEnd && (
        <p className="my-1 flex flex-wrap items-center gap-3">
          {t('report.atEnd')} <OutcomeMark outcome={atEnd.outcome} closeCall={atEnd.close_call} />
        </p>
      )}
      {late.length > 0 && <LateMarks report={report} late={late} />}
      {differs && <Differs runId={report.run.id} differs={differs} />}
      {looked && <p className="text-soft">{t('report.lookedBy', { by: looked.by, why: looked.why })}</p>}
    </section>
  )
}

function LateMarks({ report, late }: { report: Report; late: Late[] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { me } = useSession()
  const device = useRecorder()
  const queries = useQueryClient()
  const [asked, setAsked] = useState<Late>()
  const recorder = 'recorder' in device ? device.recorder : null
  const events = new Map(
    (report.events as unknown as (DeviceMark & { received?: string })[]).map((e) => [e.id, e]),
  )
  const may = recorder !== null && me.person !== null && MAY_CONFIRM.has(me.person.role)
  const confirm = async (why: string) => {
    await recorder?.mark(report.run.id, [{ type: 'late_confirmed', event: asked?.event, why }])
    setAsked(undefined)
    await queries.invalidateQueries({ queryKey: ['report'] })
  }
  return (
    <ul>
      {late.map((mark) => {
        const event = events.get(mark.event ?? '')
        return (
          <li
            key={mark.event}
            data-late={mark.why}
            className="flex flex-wrap items-center gap-x-3 border-b border-hair py-1"
          >
            <span className="font-semibold">{event && t(`test.mark.${markName(event)}`)}</span>
            {event?.by && <span className="text-soft">{event.by}</span>}
            {event?.received && <span className="text-note text-soft">{figures.when(event.received)}</span>}
            <span className={mark.counts ? 'font-semibold' : 'text-soft'}>
              {t(`report.late.${mark.why}`)}
            </span>
            {!mark.counts && may && (
              <button
                type="button"
                onClick={() => setAsked(mark)}
                className="no-print ml-auto min-h-touch underline underline-offset-4"
              >
                {t('report.confirmLate')}
              </button>
            )}
          </li>
        )
      })}
      {asked && (
        <Modal title={t('report.confirmLate')} open onClose={() => setAsked(undefined)}>
          <p>{t('report.confirmLateBody')}</p>
          <LineForm label={t('test.why')} button={t('report.confirmLate')} onSave={confirm} />
        </Modal>
      )}
    </ul>
  )
}

function Differs({ runId, differs }: { runId: string; differs: NonNullable<Report['differs']> }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const may = useMay('lookAtResult')
  const look = useMutation({
    mutationFn: (why: string) =>
      need(api.POST('/api/runs/{run_id}/result', { params: { path: { run_id: runId } }, body: { why } })),
    onSuccess: () => queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'session' }),
  })
  return (
    <div role="status" className="grid gap-2 py-1">
      <p className="flex flex-wrap items-center gap-3">
        {t('report.newerCore')}{' '}
        <OutcomeMark outcome={differs.now.outcome} closeCall={differs.now.close_call} />
        <span className="text-soft">{t(`report.newerCounts.${differs.counts}`)}</span>
      </p>
      {may && (
        <LineForm
          label={t('test.why')}
          button={t('report.look')}
          onSave={async (why) => {
            await look.mutateAsync(why)
          }}
          className="no-print max-w-2xl"
        />
      )}
    </div>
  )
}
