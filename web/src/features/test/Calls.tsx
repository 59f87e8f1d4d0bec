import { lazy, Suspense, useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { usePreferences } from '../../shared/preferences'
import { fromPsi, inUnit, unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { leads, type Body, type LiveRun } from '../../device'
import { isHeld, type Script, type Step, type TestState } from '../../run'
import type { Verdict } from './phase'
import { psiOf } from './useReadings'

import type { Call, CallPart } from './call'
const WrongNumber = lazy(() => import('./dialogs').then((m) => ({ default: m.WrongNumber })))

interface CallsProps {
  live: LiveRun
  state: TestState
  step: Step
  /** Before a stage its limit and what is done; after it the reading and the verdict. */
  when: 'before' | 'after'
  verdict?: Verdict
  /** Beside those of another stage: whose calls these are must be said. */
  named?: boolean
  onSay: (body: Body) => void
}

/** What is to be said aloud now: shown, or only named so that the watcher can tick what was said from memory. */
export function Calls({ live, state, step, when, verdict, named = false, onSay }: CallsProps) {
  const { t } = useTranslation()
  const { calls } = usePreferences().preferences
  const figures = useFigures()
  const { setup, script } = live.run
  const [wrong, setWrong] = useState<Call>()
  const lines = callsOf(script, state, step, when, verdict, figures.unit)
  if (setup.calls === 'off') {
    const limit = lines.find(({ part }) => part === 'limit')
    if (!limit) return null
    return <blockquote className="border-l-4 border-ink pl-3">“{limit.words[figures.language]}”</blockquote>
  }
  // whoever examines ticks what is said; the candidate says it
  if (lines.length === 0 || (setup.examined && leads(live.run))) return null
  const examines = setup.examined && !leads(live.run)
  const shown = setup.calls === 'prompt' || examines
  const both = calls === 'both' || live.run.coach?.presents?.both_languages
  const languages = both ? [figures.language, figures.language === 'en' ? 'es' : 'en'] : [calls]
  return (
    <div
      role="group"
      aria-label={t('test.say.title')}
      className="grid max-w-3xl gap-1 border-l-4 border-ink pl-3"
    >
      {named && <b className="text-note">{t(`step.${step.step}`)}</b>}
      {lines
        .filter(({ what }) => shown || what)
        .map((call) => (
          <div key={call.part} className="flex flex-wrap items-center gap-x-4">
            <div className="min-w-0 grow">
              {shown ? (
                languages.map((language, n) => (
                  <p key={language} lang={language} className={n > 0 ? 'text-note text-soft' : ''}>
                    {language === 'en' ? `“${call.words.en}”` : `«${call.words.es}»`}
                  </p>
                ))
              ) : (
                <p>
                  {t('test.say.title')}: <b>{t(`test.say.${call.part}`)}</b>
                </p>
              )}
            </div>
            {call.what && (
              <Ticks
                call={call}
                said={wasSaid(state, step, call.what)}
                onSay={onSay}
                onWrong={shown && !examines ? undefined : () => setWrong(call)}
              />
            )}
          </div>
        ))}
      {wrong && (
        <Suspense>
          <WrongNumber
            call={wrong}
            onClose={() => setWrong(undefined)}
            onSay={(body) => {
              onSay(body)
              setWrong(undefined)
            }}
          />
        </Suspense>
      )}
    </div>
  )
}

interface TicksProps {
  call: Call
  said: boolean
  onSay: (body: Body) => void
  onWrong?: () => void
}

function Ticks({ call, said, onSay, onWrong }: TicksProps) {
  const { t } = useTranslation()
  const what = call.what ?? ''
  if (said)
    return (
      <span className="flex min-h-touch items-center text-note font-semibold">✓ {t('test.say.done')}</span>
    )
  const button = (text: string, value?: string) => (
    <button
      type="button"
      onClick={() => onSay({ type: 'said', what, ...(value ? { value } : {}) })}
      className="min-h-touch border-[1.5px] border-ink bg-sheet px-4 text-note font-semibold"
    >
      {text}
    </button>
  )
  if (call.part === 'verdict' && onWrong) {
    return (
      <span className="flex gap-2">
        {button(t('test.say.saidPass'), 'pass')}
        {button(t('test.say.saidFail'), 'fail')}
      </span>
    )
  }
  return (
    <span className="flex gap-2">
      {button(t('test.say.said'))}
      {onWrong && (
        <button
          type="button"
          onClick={onWrong}
          className="min-h-touch px-2 text-note underline underline-offset-4"
        >
          {t('test.say.wrong')}
        </button>
      )}
    </span>
  )
}

/** Whether a call was ticked since its stage was begun; each cut-out has a call of its own. */
export function wasSaid(state: TestState, step: Step, what: string): boolean {
  const begun = state.events.findLastIndex((event) =>
    what === step.marked_as
      ? event.type === 'reading' && event.stage === what
      : event.type === 'attempt' && event.stage === step.step,
  )
  return state.events.some((event, n) => n > begun && event.type === 'said' && event.what === what)
}

function callsOf(
  script: Script,
  state: TestState,
  step: Step,
  when: CallsProps['when'],
  verdict: Verdict | undefined,
  unit: 'psi' | 'kpa' | 'bar',
): Call[] {
  const what = (part: CallPart) => step.says.find((name) => name === `${part}:${step.step}`) ?? null
  if (when === 'before') {
    const action = step.calls.action
    return [
      ...(step.limit
        ? [{ part: 'limit' as const, what: what('limit'), words: inUnitOf(step.limit.said, unit) }]
        : []),
      ...(action ? [{ part: 'action' as const, what: null, words: action }] : []),
    ]
  }
  const figure = figuresOf(script, state, step, verdict, unit)
  const reading = step.calls.reading
  const outcome = verdict?.outcome === 'pass' || verdict?.outcome === 'fail' ? verdict.outcome : null
  const judged = outcome && step.calls[outcome]
  return [
    ...(reading && figure
      ? [
          {
            part: 'reading' as const,
            what: what('reading') ?? step.says[0] ?? null,
            words: { en: figure(reading.en ?? '', 'and'), es: figure(reading.es ?? '', 'y') },
          },
        ]
      : []),
    ...(judged ? [{ part: 'verdict' as const, what: what('verdict'), words: judged }] : []),
  ]
}

const inUnitOf = (said: NonNullable<Step['limit']>['said'], unit: 'psi' | 'kpa' | 'bar') => ({
  en: said.en?.[unit] ?? '',
  es: said.es?.[unit] ?? '',
})

/** Puts the figures of a stage into the sentence of a call; null while there are none. */
function figuresOf(
  script: Script,
  state: TestState,
  step: Step,
  verdict: Verdict | undefined,
  unit: 'psi' | 'kpa' | 'bar',
): ((sentence: string, and: string) => string) | null {
  const mine = state.marks.filter(({ stage }) => stage === step.marked_as)
  const drop = verdict?.measured.drop_psi
  const lost = typeof drop === 'number' ? `${inUnit(fromPsi(drop, unit), unit)} ${unitLabel[unit]}` : null
  const shown = (place: number, and: string) => {
    const mark = mine.at(place)
    const values = script.needles.flatMap((needle) => (mark ? (psiOf(mark, needle) ?? []) : []))
    const texts = [...new Set(values.map((psi) => inUnit(fromPsi(psi, unit), unit)))]
    return texts.length ? `${texts.join(` ${and} `)} ${unitLabel[unit]}` : null
  }
  if (isHeld(step) ? lost === null : shown(-1, '') === null) return null
  return (sentence, and) =>
    sentence
      .replace('{lost}', lost ?? '')
      .replace('{first}', shown(-2, and) ?? '')
      .replace('{read}', shown(-1, and) ?? '')
}
