import { useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { leads, type Blocked as BlockedBy } from '../../device'
import { counts } from '../../shared/trade'
import { Button, OutcomeMark } from '../../shared/ui'
import { repeat } from './bar'
import { lastAttempt } from './lastAttempt'
import type { Leg } from './legs'
import type { Phase } from './phase'
import { Rest } from './Rest'
import type { StageBodyProps } from './stageProps'

/** What is shown once a stage was done, where nothing may be rolled, and at the end. */
export function StageEnd(props: StageBodyProps) {
  const { phase } = props
  if (phase.name === 'rest') return <RestBody {...props} phase={phase} />
  if (phase.name === 'locked') return <Locked {...props} phase={phase} />
  return <Summary legs={props.legs} />
}

function RestBody({
  phase,
  live,
  verdicts,
  onDevice,
  bar,
  onStop,
  onGoOn,
}: StageBodyProps & { phase: Phase & { name: 'rest' } }) {
  const { t } = useTranslation()
  const bad = phase.stages.some((step) => {
    const outcome = lastAttempt(verdicts, step)?.outcome
    return outcome === 'fail' || outcome === 'void'
  })
  return (
    <>
      <Rest stages={phase.stages} verdicts={verdicts} counts={counts(live.run.setup.purpose)} />
      {onDevice && !live.run.practice && <p className="text-note text-soft">{t('report.onDevice')}</p>}
      {bad && leads(live.run) && (
        <div className="flex flex-wrap gap-2 pb-2">
          {bar.act !== 'finish' && <Button onClick={onStop}>{t('test.stopHere')}</Button>}
          <Button onClick={onGoOn}>{t('test.goOnRest')}</Button>
        </div>
      )}
    </>
  )
}

/** Why nothing may be held or rolled, and what may be done instead. */
function Locked({
  phase,
  live,
  state,
  onMark,
  onStop,
}: StageBodyProps & { phase: Phase & { name: 'locked' } }) {
  const { t } = useTranslation()
  const names = phase.stages.map((stage) => t(`step.${stage}`))
  if (phase.why === 'unjudged') return <p className="max-w-2xl text-lead">{t('test.lockedUnjudged')}</p>
  if (phase.why === 'inspection') return <Blocked {...{ live, onStop }} blocked={phase.blocked} />
  return (
    <>
      <p className="max-w-2xl bg-clay px-4 py-3 text-lead font-bold text-on-clay">
        {t('test.lockedFailed', { stages: names.join(', ') })}
      </p>
      {leads(live.run) && (
        <div className="flex flex-wrap gap-2">
          <Button onClick={onStop}>{t('test.stopHere')}</Button>
          {phase.stages.map((stage, n) => (
            <Button key={stage} onClick={() => onMark(repeat(state, stage))}>
              {t('test.retest')}: {names[n]}
            </Button>
          ))}
        </div>
      )}
    </>
  )
}

/** What the inspection found that stops this step, and the ways on. */
function Blocked({
  blocked,
  live,
  onStop,
}: Pick<StageBodyProps, 'live' | 'onStop'> & { blocked: BlockedBy[] }) {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const names = [...new Set(blocked.map(({ name }) => name).filter(Boolean))]
  const starts = blocked.some(({ blocks }) => blocks === 'start')
  // another device's inspection can't be opened here: its name isn't known either
  const first = blocked.find(({ name }) => name)
  const open = (inspectionId: string, search = '') => void navigate(`/inspection/${inspectionId}${search}`)
  return (
    <>
      <p className="max-w-2xl bg-clay px-4 py-3 text-lead font-bold text-on-clay">
        {names.length > 0 ? `${names.join('; ')}. ` : `${t('test.lockedFound')} `}
        {starts ? t('test.lockedStart') : t('test.lockedRoll')}
      </p>
      <div className="flex flex-wrap gap-2">
        {first && (
          <Button
            tone="air"
            onClick={() => open(first.inspectionId, `?item=${encodeURIComponent(first.key)}`)}
          >
            {t('test.openItem')}
          </Button>
        )}
        {first && <Button onClick={() => open(first.inspectionId)}>{t('test.continueInspection')}</Button>}
        {leads(live.run) && <Button onClick={onStop}>{t('test.stopHere')}</Button>}
      </div>
    </>
  )
}

/** Every stage and how it stands. */
function Summary({ legs }: { legs: Leg[] }) {
  const { t } = useTranslation()
  return (
    <ul className="grid max-w-2xl border-t border-line">
      {legs.map(({ step, at, verdict }, n) => (
        <li key={n} className="flex min-h-9 items-center justify-between gap-4 border-b border-line">
          {t(`step.${step.step}`)}
          {at === 'skipped' ? (
            <span className="text-soft">{t('test.states.skipped')}</span>
          ) : (
            <OutcomeMark outcome={verdict?.outcome ?? 'pending'} closeCall={verdict?.close_call} />
          )}
        </li>
      ))}
    </ul>
  )
}
