import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Body } from '../../device'
import type { Need, Script, Step, TestState } from '../../run'

interface AskingProps {
  script: Script
  state: TestState
  step: Step
  next: Need
  /** A watcher reads what the driver is asked. */
  watches: boolean
  onAnswer: (bodies: Body[]) => void
}

/** What a step needs: marked one after the other, each with a way to say that it is not so. */
export function Asking({ script, state, step, next, watches, onAnswer }: AskingProps) {
  const { t } = useTranslation()
  const unmet = new Set(state.lead.unmet)
  const place = step.needs.indexOf(next)
  return (
    <ul className="grid max-w-2xl border-t border-line">
      {step.needs.map((need, n) => {
        const isNext = need === next
        // whatever is neither asked now nor still to be asked is so, or was said not to be
        const denied = n < place && !unmet.has(need) && isDenied(state, script, need)
        const no = script.needs[need]?.no ?? []
        return (
          <li
            key={need}
            className={`flex min-h-touch flex-wrap items-center gap-x-3 border-b border-line ${isNext ? 'bg-ink px-3 text-on-ink' : ''}`}
          >
            <Tick answer={isNext || unmet.has(need) ? null : !denied} />
            <span className={isNext ? 'font-semibold' : unmet.has(need) ? 'text-soft' : ''}>
              {t(`test.need.${need}`)}
            </span>
            {denied && <b className="text-clay">{t(`test.not.${need}`)}</b>}
            {isNext && !watches && (script.needs[need]?.instead ?? []).length > 0 && engineIsOff(state) && (
              <button
                type="button"
                onClick={() => onAnswer(script.needs[need]?.instead ?? [])}
                className="ml-auto min-h-touch px-2 underline underline-offset-4"
              >
                {t('test.gearHolds')}
              </button>
            )}
            {isNext && !watches && no.length > 0 && (
              <button
                type="button"
                onClick={() => onAnswer(no)}
                className="ml-auto min-h-touch px-2 underline underline-offset-4"
              >
                {t('test.notSo')}
              </button>
            )}
            {denied && !watches && (
              <button
                type="button"
                onClick={() => onAnswer(script.needs[need]?.yes ?? [])}
                className="ml-auto min-h-touch px-2 font-semibold underline underline-offset-4"
              >
                {t('test.again')}
              </button>
            )}
          </li>
        )
      })}
    </ul>
  )
}

const engineIsOff = (state: TestState): boolean =>
  state.events.findLast(({ type }) => type === 'engine')?.state === 'off'

/** The needs that were said not to be so, and still are not: the stage will be void. */
export function deniedNeeds(state: TestState, script: Script, step: Step): Need[] {
  return step.needs.filter((need) => !state.lead.unmet.includes(need) && isDenied(state, script, need))
}

/** Whether the last word on a need was that it is not so. */
function isDenied(state: TestState, script: Script, need: Need): boolean {
  const { yes = [], no = [] } = script.needs[need] ?? {}
  const says = (bodies: Body[], event: Record<string, unknown>) =>
    bodies.some((body) => ['type', 'item', 'state', 'knob'].every((key) => body[key] === event[key]))
  const last = state.events.findLast((event) => says(yes, event) || says(no, event))
  return last !== undefined && says(no, last) && !says(yes, last)
}

function Tick({ answer }: { answer: boolean | null }) {
  if (answer === null) return <i aria-hidden className="size-4 border-2 border-current" />
  if (!answer) return <i aria-hidden className="size-4 border-2 border-dotted border-clay" />
  return (
    <svg aria-hidden width="16" height="16" viewBox="0 0 16 16">
      <path d="M1 8l5 5 9-11" fill="none" stroke="currentColor" strokeWidth="3" />
    </svg>
  )
}
