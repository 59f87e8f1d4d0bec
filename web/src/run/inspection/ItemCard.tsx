import { useState, type ReactNode } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Body } from '../../device'

import { speak } from '../sound'
import type { Ask, Answer, InspectionFold, InspectionScript, Step } from './fold'
import { MeasureTape } from './MeasureTape'
import { NotRight, Words, type Found } from './NotRight'

export interface CardProps {
  script: InspectionScript
  step: Step
  fold: InspectionFold
  purpose: string
  /** Beside an air test: no more than two touches for what is not right, and nothing else. */
  brief?: boolean
  onMark: (bodies: Body[]) => void
  /** Photographs of a defect that is reported under this id. */
  onPhotos?: (defect: string, ask: Ask, photos: Blob[]) => void
}

/** One thing to look at, and its answers. */
export function ItemCard(props: CardProps) {
  const { step } = props
  if (step.kind === 'fact') return <FactCard {...props} step={step} />
  if (step.kind === 'block') return <BlockCard {...props} step={step} />
  return <AskCard {...props} ask={step.asks[0]} />
}

function FactCard({ step, onMark }: CardProps & { step: Step & { kind: 'fact' } }) {
  const { t } = useTranslation()
  const { wanted } = step
  const say = (so: boolean) => onMark([{ type: 'fact', part: wanted.part, fact: wanted.fact, so }])
  return (
    <section data-fact={wanted.fact} className="grid gap-4">
      <p className="text-note text-soft">{wanted.of}</p>
      <h2 className="text-title">{wanted.ask}</h2>
      <div className="grid grid-cols-2 gap-2">
        <BigAnswer onClick={() => say(true)}>{t('inspection.yes')}</BigAnswer>
        <BigAnswer onClick={() => say(false)}>{t('inspection.no')}</BigAnswer>
      </div>
    </section>
  )
}

/** The items of one block of a wheel end: all of it by one touch, or one of them by itself. */
function BlockCard({ step, ...rest }: CardProps & { step: Step & { kind: 'block' } }) {
  const { t } = useTranslation()
  const { script, fold, onMark } = rest
  const [alone, setAlone] = useState<string | null>(null)
  const ask = step.asks.find(({ key }) => key === alone)
  if (ask) return <AskCard {...rest} step={step} ask={ask} onDone={() => setAlone(null)} />
  const open = step.asks.filter(({ key }) => !fold.told.has(key))
  const measured = (one: Ask) => one.measures.some(({ tape }) => tape)
  const allRight = () => {
    const right = open.filter((one) => !measured(one)).map(({ key }) => key)
    const seen = open.filter(measured).map(({ key }) => key)
    onMark([
      ...(right.length ? [{ type: 'answer', asks: right, answer: 'right' }] : []),
      ...(seen.length ? [{ type: 'answer', asks: seen, answer: 'seen_not_measured' }] : []),
    ])
  }
  return (
    <section data-block={step.block} className="grid gap-3">
      <h2 className="text-title">
        {t(`inspection.block.${step.block as 'brake'}`)}
        <span className="ml-3 text-lead font-normal text-soft">{step.asks[0]?.where}</span>
      </h2>
      <Firsts {...rest} asks={step.asks} />
      <ul className="grid border-t border-line">
        {step.asks.map((one) => (
          <li key={one.key} className="border-b border-line">
            <button
              type="button"
              onClick={() => setAlone(one.key)}
              className="flex min-h-touch w-full items-center gap-3 text-left"
            >
              <Answered told={fold.told.get(one.key)?.answer} />
              {script.items[one.item]?.name}
              {one.where !== step.asks[0]?.where && <span className="text-note text-soft">{one.where}</span>}
            </button>
          </li>
        ))}
      </ul>
      <BigAnswer tone="ink" disabled={open.length === 0} onClick={allRight}>
        {t('inspection.allRight')}
      </BigAnswer>
    </section>
  )
}

function AskCard(props: CardProps & { ask: Ask; onDone?: () => void }) {
  const { script, ask, fold, purpose, brief = false, onMark, onPhotos, onDone } = props
  const { t, i18n } = useTranslation()
  const { language } = i18n
  const [wrong, setWrong] = useState<string[]>([])
  const [panel, setPanel] = useState<'answers' | 'not_right' | 'not_reached'>('answers')
  const [value, setValue] = useState<number | null>(null)
  const [second, setSecond] = useState(false)
  const item = script.items[ask.item]
  if (!item) return null
  const measure = ask.measures[second ? 1 : 0]
  const tape = measure?.tape ? measure : undefined
  const other = ask.measures.find((one) => one !== measure && one.tape)
  // a number says by itself whether it is inside
  const checks = item.checks.filter((id) => !tape || id !== 'within')
  const number = value === null || !measure ? {} : { value: Number(value.toFixed(4)), unit: measure.unit }
  const tell = (answer: Answer, more: Record<string, unknown> = {}) => {
    onMark([{ type: 'answer', asks: [ask.key], answer, ...number, ...more }])
    onDone?.()
  }
  const found = ({ answer, photos, text, teaching, ...rest }: Found) => {
    const defect = crypto.randomUUID()
    tell(answer, { ...rest, ...(text && { text }), ...(teaching && { teaching }), defect })
    if (photos.length) onPhotos?.(defect, ask, photos)
  }
  const bare = (words: string[]): Found => ({
    ...{ answer: 'not_right', wrong: words, yes: [], text: '', teaching: false, photos: [] },
  })
  const wordsTouched = (next: string[]) => {
    setWrong(next)
    if (brief && next.length) found(bare(next))
    else if (next.length) setPanel('not_right')
  }
  const notRight = () => {
    // beside an air test a word is enough; where there is none to choose, the touch itself is
    if (brief && checks.length === 0) found(bare([]))
    else setPanel('not_right')
  }
  const name = (id: string) => script.answers.find((one) => one.id === id)?.name ?? id
  return (
    <section data-ask={ask.key} className="grid gap-3">
      <div>
        <h2 className="text-title">
          {item.name}
          {ask.where && <span className="ml-3 text-lead font-normal text-soft">{ask.where}</span>}
        </h2>
        {!brief && panel !== 'not_right' && (
          <p className="mt-1 flex items-start gap-2 text-lead">
            <span className="grow">{ask.say}</span>
            <button
              type="button"
              aria-label={t('inspection.say')}
              onClick={() => speak(ask.say, language)}
              className="grid min-h-touch min-w-touch shrink-0 place-items-center border-[1.5px] border-line"
            >
              <svg
                aria-hidden
                width="18"
                height="16"
                viewBox="0 0 18 16"
                fill="none"
                stroke="currentColor"
                strokeWidth="2"
              >
                <path d="M1 5h3l5-4v14l-5-4H1zM12 4c2 2 2 6 0 8M14.5 1.5c4 4 4 9 0 13" />
              </svg>
            </button>
          </p>
        )}
      </div>
      {ask.known && (
        <p className="border-l-8 border-amber bg-sheet px-3 py-2">
          <span className="block text-note text-soft">{t('inspection.known')}</span>
          <b>{ask.known.what}</b>{' '}
          {t('inspection.knownMeans', { means: t(`acts.consequence.${ask.known.consequence}`) })}
        </p>
      )}
      <Firsts {...{ script, fold, onMark }} asks={[ask]} />
      {tape && (
        <MeasureTape
          measure={tape}
          {...{ value, other, brief }}
          onChange={setValue}
          onOther={() => {
            setSecond(!second)
            setValue(null)
          }}
        />
      )}
      {measure && !measure.tape && measure.limit && (
        <p className="text-note">
          <b>{t('inspection.limit', { limit: measure.limit })}</b>{' '}
          <span className="text-soft">{measure.source}</span>
        </p>
      )}
      {panel === 'not_right' && brief && <Words {...{ script, wrong, checks }} onWrong={wordsTouched} />}
      {panel === 'not_right' && !brief && (
        <NotRight
          {...{ script, ask, wrong, checks }}
          mayTeach={purpose !== 'dispatch'}
          onWrong={setWrong}
          onSave={found}
          onCancel={() => {
            setPanel('answers')
            setWrong([])
          }}
        />
      )}
      {panel === 'not_reached' && (
        <div role="group" aria-label={t('inspection.why')} className="grid gap-2">
          <p className="font-semibold">{t('inspection.why')}</p>
          {script.unseen.map((why) => (
            <BigAnswer key={why.id} onClick={() => tell('not_reached', { why: why.id })}>
              {why.name}
            </BigAnswer>
          ))}
          <button
            type="button"
            onClick={() => setPanel('answers')}
            className="min-h-touch underline underline-offset-4"
          >
            {t('inspection.cancel')}
          </button>
        </div>
      )}
      {panel === 'answers' && (
        <>
          {checks.length > 0 && !ask.known && !brief && (
            <Words {...{ script, wrong, checks }} onWrong={wordsTouched} />
          )}
          {ask.known ? (
            <div className="grid grid-cols-3 gap-2">
              {(['still', 'worse', 'gone'] as const).map((answer) => (
                <BigAnswer
                  key={answer}
                  onClick={() => tell(answer, answer === 'worse' ? { defect: crypto.randomUUID() } : {})}
                >
                  {name(answer)}
                </BigAnswer>
              ))}
            </div>
          ) : (
            <div className="grid grid-cols-2 gap-2">
              <BigAnswer
                tone="ink"
                disabled={Boolean(tape?.limit) && value === null}
                onClick={() => tell('right')}
              >
                <i aria-hidden className="size-4 shrink-0 bg-current" />
                {name('right')}
              </BigAnswer>
              <BigAnswer tone="clay" onClick={notRight}>
                <i
                  aria-hidden
                  className="size-4 shrink-0 bg-current [clip-path:polygon(0_0,100%_0,0_100%)]"
                />
                {name('not_right')}
              </BigAnswer>
              {tape && (
                <BigAnswer onClick={() => tell('seen_not_measured')}>
                  <i aria-hidden className="size-4 shrink-0 border-2 border-dotted border-current" />
                  {name('seen_not_measured')}
                </BigAnswer>
              )}
              <BigAnswer onClick={() => tell('not_fitted')}>
                <i aria-hidden className="h-[3px] w-4 shrink-0 bg-current" />
                {name('not_fitted')}
              </BigAnswer>
              {!brief && (
                <BigAnswer onClick={() => setPanel('not_reached')}>
                  <i aria-hidden className="size-4 shrink-0 border-2 border-dashed border-current" />
                  {name('not_reached')}
                </BigAnswer>
              )}
              {!brief && purpose !== 'dispatch' && item.by_reference && (
                <BigAnswer onClick={() => tell('by_reference')}>{name('by_reference')}</BigAnswer>
              )}
              <BigAnswer onClick={() => tell('later')}>{name('later')}</BigAnswer>
            </div>
          )}
        </>
      )}
      {measure?.urgent && value !== null && (
        <p role="alert" className="bg-clay px-3 py-2 font-bold text-on-clay">
          {t('inspection.limit', { limit: measure.limit })}. {t('inspection.stop')}.
        </p>
      )}
    </section>
  )
}

/** What must be true first and nobody has said: one touch each, once an inspection. */
function Firsts({
  script,
  fold,
  asks,
  onMark,
}: Pick<CardProps, 'script' | 'fold' | 'onMark'> & { asks: Ask[] }) {
  const { t } = useTranslation()
  const needed = new Set(asks.flatMap((ask) => script.items[ask.item]?.first ?? []))
  const open = script.firsts.filter(({ id }) => needed.has(id) && !fold.states.has(id))
  if (open.length === 0) return null
  return (
    <div role="group" aria-label={t('inspection.first')} className="flex flex-wrap items-center gap-2">
      <span className="text-note text-soft">{t('inspection.first')}</span>
      {open.map(({ id, name }) => (
        <button
          key={id}
          type="button"
          data-first={id}
          onClick={() => onMark([{ type: 'state', first: id, so: true }])}
          className="flex min-h-touch items-center gap-2 border-[1.5px] border-amber bg-sheet px-3 text-left"
        >
          <i aria-hidden className="size-4 shrink-0 border-2 border-current" />
          {name}
        </button>
      ))}
    </div>
  )
}

interface BigAnswerProps {
  tone?: 'plain' | 'ink' | 'clay'
  disabled?: boolean
  onClick: () => void
  children: ReactNode
}

const tones = {
  plain: 'border-ink bg-sheet',
  ink: 'border-ink bg-ink text-on-ink',
  clay: 'border-clay bg-sheet text-clay',
}

function BigAnswer({ tone = 'plain', disabled = false, onClick, children }: BigAnswerProps) {
  return (
    <button
      type="button"
      {...{ disabled, onClick }}
      className={`flex min-h-14 items-center gap-3 border-[1.5px] px-3 text-left text-lead leading-tight font-bold disabled:opacity-50 ${tones[tone]}`}
    >
      {children}
    </button>
  )
}

const TOLD: Partial<Record<Answer, string>> = {
  right: 'bg-current',
  from_run: 'bg-current',
  gone: 'bg-current',
  fixed:
    'border-2 border-current bg-[repeating-linear-gradient(45deg,currentColor_0_2.5px,transparent_2.5px_5px)]',
  not_right: 'bg-clay [clip-path:polygon(0_0,100%_0,0_100%)]',
  still: 'bg-clay [clip-path:polygon(0_0,100%_0,0_100%)]',
  worse: 'bg-clay [clip-path:polygon(0_0,100%_0,0_100%)]',
  not_fitted: 'h-[3px]! bg-current',
  not_reached: 'border-2 border-dashed border-current',
  seen_not_measured: 'border-2 border-dotted border-current',
  by_reference: 'border-2 border-dotted border-current',
}

/** How something was answered, as a shape. */
export function Answered({ told }: { told: Answer | undefined }) {
  return (
    <i
      aria-hidden
      className={`inline-block size-4 shrink-0 ${(told && TOLD[told]) ?? 'border-[1.5px] border-line'}`}
    />
  )
}
