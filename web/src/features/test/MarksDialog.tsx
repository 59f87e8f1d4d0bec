import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { type Body, type LiveRun, type DeviceMark, leads } from '../../device'
import { isOwn, markName, type Mark, type TestState } from '../../run'
import { Button, LineForm, Modal } from '../../shared/ui'
import type { Verdict } from './phase'
import { SecondPerson } from './SecondPerson'
import { enteredText } from './useReadings'

interface MarksDialogProps {
  open: boolean
  live: LiveRun
  state: TestState
  verdicts: Verdict[]
  onClose: () => void
  onCorrect: (mark: Mark) => void
  onMark: (bodies: Body[]) => void
}

const HIDDEN = new Set(['valued', 'finished'])

/** Every mark that stands, the latest first: a number can be corrected, a mark withdrawn, a note added. */
export function MarksDialog({ open, live, state, verdicts, onClose, onCorrect, onMark }: MarksDialogProps) {
  const { t } = useTranslation()
  const [gone, setGone] = useState<DeviceMark>()
  const watches = !leads(live.run)
  const marks = new Map(state.marks.map((mark) => [mark.id, mark]))
  if (gone) {
    const stage = marks.get(gone.id)?.stage ?? gone.stage
    return (
      <Withdraw
        mark={t(`test.mark.${markName(gone)}`)}
        // what is judged already is not taken back without a word
        needsWhy={verdicts.some((verdict) => verdict.stage === stage && verdict.attempt > 0)}
        onClose={() => setGone(undefined)}
        onWithdraw={(why) => {
          onMark([{ type: 'withdrawn', event: gone.id, ...(why ? { why } : {}) }])
          setGone(undefined)
        }}
      />
    )
  }
  return (
    <Modal title={t('test.marksTitle')} open={open} onClose={onClose} glance>
      <LineForm
        label={t('test.note')}
        button={t('test.addNote')}
        onSave={(text) => onMark([{ type: 'note', text }])}
      />
      <ol className="border-t-[1.5px] border-ink empty:hidden">
        {[...state.events]
          .reverse()
          .filter(({ type }) => !HIDDEN.has(type))
          .map((event) => {
            const mark = marks.get(event.id)
            return (
              <li key={event.id} className="flex min-h-touch items-center gap-x-3 border-b border-hair">
                <span className="min-w-0 grow">
                  {t(`test.mark.${markName(event)}`)}
                  {!isOwn(event) && event.by && <span className="text-note text-soft"> {event.by}</span>}
                  {event.type === 'note' && <span className="text-soft">: {String(event.text)}</span>}
                </span>
                <span className="num whitespace-nowrap">{mark ? enteredText(mark) : ''}</span>
                {mark && (!watches || isOwn(event)) && (
                  <button
                    type="button"
                    onClick={() => onCorrect(mark)}
                    className="min-h-touch px-1 text-note underline underline-offset-4"
                  >
                    {t('test.correct')}
                  </button>
                )}
                {(!watches || isOwn(event)) && (
                  <button
                    type="button"
                    onClick={() => setGone(event)}
                    aria-label={t('test.withdrawTitle', { mark: t(`test.mark.${markName(event)}`) })}
                    className="min-h-touch px-1 text-note underline underline-offset-4"
                  >
                    {t('test.withdraw')}
                  </button>
                )}
              </li>
            )
          })}
      </ol>
      {!watches && !live.run.begin && <SecondPerson runId={live.run.id} />}
    </Modal>
  )
}

interface WithdrawProps {
  mark: string
  needsWhy: boolean
  onClose: () => void
  onWithdraw: (why: string) => void
}

function Withdraw({ mark, needsWhy, onClose, onWithdraw }: WithdrawProps) {
  const { t } = useTranslation()
  const [why, setWhy] = useState('')
  return (
    <Modal title={t('test.withdrawTitle', { mark })} open onClose={onClose}>
      <p>{t('test.withdrawBody')}</p>
      <label className="grid gap-1">
        <span className={needsWhy ? '' : 'text-note text-soft'}>
          {t(needsWhy ? 'test.withdrawJudged' : 'test.why')}
        </span>
        <input
          value={why}
          maxLength={200}
          onChange={(event) => setWhy(event.target.value)}
          className="min-h-touch border-[1.5px] border-ink bg-sheet px-3"
        />
      </label>
      <div className="flex flex-wrap gap-3">
        <Button tone="clay" disabled={needsWhy && !why.trim()} onClick={() => onWithdraw(why.trim())}>
          {t('test.withdraw')}
        </Button>
        <Button onClick={onClose}>{t('app.cancel')}</Button>
      </div>
    </Modal>
  )
}
