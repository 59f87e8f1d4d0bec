import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Body } from '../../device'
import type { Script, TestState } from '../../run'
import { Button, Modal, OutcomeMark } from '../../shared/ui'
import type { Leg } from './legs'

interface CourseDialogProps {
  open: boolean
  script: Script
  state: TestState
  legs: Leg[]
  /** A watcher sees the course and changes nothing of it. */
  watches: boolean
  onClose: () => void
  onMark: (bodies: Body[]) => void
}

/** The whole course as a list: any stage may be done now, again, or left out, with what that costs said first. */
export function CourseDialog({ open, script, state, legs, watches, onClose, onMark }: CourseDialogProps) {
  const { t } = useTranslation()
  const [skipping, setSkipping] = useState<Leg>()
  const mark = (bodies: Body[]) => {
    onMark([...(state.pedalDown ? [{ type: 'pedal', state: 'released' }] : []), ...bodies])
    setSkipping(undefined)
    onClose()
  }
  if (skipping) {
    const stage = t(`step.${skipping.step.step}`)
    return (
      <SkipDialog
        stage={stage}
        onClose={() => setSkipping(undefined)}
        onSkip={(why) => mark([{ type: 'skipped', stage: skipping.step.step, ...(why ? { why } : {}) }])}
      />
    )
  }
  return (
    <Modal title={t('test.courseTitle')} open={open} onClose={onClose} glance>
      <ol className="border-t-[1.5px] border-ink">
        {legs.map((leg, n) => (
          <li
            key={n}
            className="grid gap-x-4 border-b border-line py-1.5 sm:grid-cols-[1fr_auto] sm:items-center"
          >
            <div>
              <div className="flex flex-wrap items-center gap-x-3">
                <b>{t(`step.${leg.step.step}`)}</b>
                {leg.at === 'done' && leg.verdict ? (
                  <OutcomeMark outcome={leg.verdict.outcome} closeCall={leg.verdict.close_call} />
                ) : (
                  <span className="text-note text-soft">{t(`test.states.${leg.at}`)}</span>
                )}
              </div>
              <Costs {...{ script, state, leg }} />
            </div>
            {!watches && leg.at !== 'now' && leg.step.marked_as === leg.step.step && (
              <div className="flex gap-2">
                {leg.at === 'coming' && <Button onClick={() => setSkipping(leg)}>{t('test.skip')}</Button>}
                <Button onClick={() => mark([{ type: 'attempt', stage: leg.step.step }])}>
                  {t(leg.at === 'done' ? 'test.retest' : 'test.now')}
                </Button>
              </div>
            )}
            {!watches && leg.at === 'now' && (
              <Button className="justify-self-start" onClick={() => setSkipping(leg)}>
                {t('test.skip')}
              </Button>
            )}
          </li>
        ))}
      </ol>
    </Modal>
  )
}

/** What doing a stage now, out of its order, needs first. */
function Costs({ script, state, leg }: { script: Script; state: TestState; leg: Leg }) {
  const { t } = useTranslation()
  const again = leg.at === 'done'
  const stale = leg.step.refill === 'stale' && !state.lead.fresh
  if (leg.at === 'now' || !leg.step.refill || !(again || stale)) return null
  const steps = script.refill.map(({ step }) => t(`step.${step}`).toLowerCase())
  return (
    <p className="text-note text-soft">
      {t('test.costs', { steps: steps.join(', '), count: Math.max(1, Math.round(script.refill_s / 60)) })}
    </p>
  )
}

function SkipDialog({
  stage,
  onClose,
  onSkip,
}: {
  stage: string
  onClose: () => void
  onSkip: (why: string) => void
}) {
  const { t } = useTranslation()
  const [why, setWhy] = useState('')
  return (
    <Modal title={t('test.skipTitle', { stage })} open onClose={onClose}>
      <p>{t('test.skipBody')}</p>
      <label className="grid gap-1">
        <span className="text-note text-soft">{t('test.why')}</span>
        <input
          value={why}
          maxLength={200}
          onChange={(event) => setWhy(event.target.value)}
          className="min-h-touch border-[1.5px] border-ink bg-sheet px-3"
        />
      </label>
      <div className="flex flex-wrap gap-3">
        <Button tone="air" onClick={() => onSkip(why.trim())}>
          {t('test.skip')}
        </Button>
        <Button onClick={onClose}>{t('app.cancel')}</Button>
      </div>
    </Modal>
  )
}
