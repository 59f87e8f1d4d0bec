import { useTranslation } from '../../shared/i18n/useTranslation'
import { parseNumber } from '../../shared/figures/numbers'
import type { ReactNode } from 'react'
import type { Body } from '../../device'
import type { Step, MarkPrompt } from '../../run'
import { Button } from '../../shared/ui'

interface SideMarksProps {
  step: Step
  prompt: MarkPrompt
  missing: MarkPrompt['marks']
  speed: string
  onSpeed: (text: string) => void
  onMark: (bodies: Body[]) => void
}

/** What may be marked instead of the bar: only one of two, the one that never came, or the other answer. */
export function SideMarks({ step, prompt, missing, speed, onSpeed, onMark }: SideMarksProps) {
  const { t } = useTranslation()
  const partly = missing.length < prompt.marks.length
  const button = (text: string, ...bodies: Body[]) => (
    <Button key={text} className="max-md:px-2 max-md:leading-tight" onClick={() => onMark(bodies)}>
      {text}
    </Button>
  )
  switch (prompt.name) {
    case 'warning': {
      if (!partly) {
        return (
          <Row>
            {button(t('test.only.lamp'), { type: 'warning', lamp: true })}
            {button(t('test.only.buzzer'), { type: 'warning', buzzer: true })}
            {button(t('test.only.neither'), { type: 'warning', lamp: false, buzzer: false })}
          </Row>
        )
      }
      const lamp = missing[0] && 'lamp' in missing[0]
      return (
        <Row>
          {lamp
            ? button(t('test.only.noLamp'), { type: 'warning', lamp: false })
            : button(t('test.only.noBuzzer'), { type: 'warning', buzzer: false })}
        </Row>
      )
    }
    case 'popped':
      if (partly || missing.length < 2) return null
      return (
        <Row>{missing.map((mark) => button(t(`test.only.${mark.knob as 'tractor'}`), mark as Body))}</Row>
      )
    case 'held':
      return <Row>{button(t('test.moved'), { type: 'held', stage: step.step, moved: true })}</Row>
    case 'rolled': {
      const rolled = (stopped: boolean, pulled: boolean) => rolledBody(stopped, pulled, speed)
      return (
        <>
          <Row>
            {button(t('test.rolledOther.pulled'), rolled(true, true))}
            {button(t('test.rolledOther.notStopped'), rolled(false, false))}
          </Row>
          <label className="flex flex-wrap items-center gap-3">
            {t('test.speed')}
            <input
              inputMode="decimal"
              value={speed}
              size={4}
              onChange={(event) => onSpeed(event.target.value)}
              className="num min-h-touch w-20 border-[1.5px] border-ink bg-sheet px-2 text-lead"
            />
          </label>
        </>
      )
    }
    default:
      return null
  }
}

/** A rolling stop as it is taken down; a speed that is none is left out. */
export function rolledBody(stopped: boolean, pulled: boolean, speed: string): Body {
  const mph = parseNumber(speed) ?? NaN
  const given = speed.trim() !== '' && mph >= 0 && mph <= 100
  return { type: 'rolled', stopped, pulled, ...(given ? { speed_mph: mph } : {}) }
}

/** Close above the bar, where the thumb is. */
const Row = ({ children }: { children: ReactNode }) => (
  <div className="mt-auto grid grid-cols-2 gap-2 pb-1 md:flex md:flex-wrap">{children}</div>
)
