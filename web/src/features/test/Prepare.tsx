import { useTranslation } from 'react-i18next'
import { prepareNeeds, type PrepareNeed, type Progress, type Script } from '../../live'

interface PrepareProps {
  script: Script
  progress: Progress
  onAnswer: (need: PrepareNeed, yes: boolean) => void
}

/** What must be true: struck one after the other, each with a way to say that it is not so. */
export function Prepare({ script, progress, onAnswer }: PrepareProps) {
  const { t } = useTranslation()
  const needs = prepareNeeds(script)
  const wrong = needs.some((need) => progress.answers[need] === false)
  return (
    <>
      <ul className="grid max-w-2xl border-t border-line">
        {needs.map((need) => {
          const answer = progress.answers[need]
          const isNext = need === progress.nextNeed
          return (
            <li
              key={need}
              className={`flex min-h-13 flex-wrap items-center gap-x-3 border-b border-line ${isNext ? 'bg-ink px-3 text-on-ink' : ''}`}
            >
              <Tick answer={answer} />
              <span className={answer === null && !isNext ? 'text-soft' : 'font-semibold'}>
                {t(`test.need.${need}`)}
              </span>
              {answer === false && <b className="text-clay">{t(`test.not.${need}`)}</b>}
              {isNext && need !== 'area_clear' && (
                <button
                  type="button"
                  onClick={() => onAnswer(need, false)}
                  className="ml-auto min-h-touch px-2 underline underline-offset-4"
                >
                  {t('test.notSo')}
                </button>
              )}
              {answer === false && (
                <button
                  type="button"
                  onClick={() => onAnswer(need, true)}
                  className="ml-auto min-h-touch px-2 font-semibold underline underline-offset-4"
                >
                  {t('test.again')}
                </button>
              )}
            </li>
          )
        })}
      </ul>
      {wrong && (
        <p role="alert" className="max-w-2xl border-l-4 border-clay pl-3 font-semibold text-clay">
          {t('test.voidAhead')}
        </p>
      )}
    </>
  )
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
