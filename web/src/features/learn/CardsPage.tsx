import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { askCore } from '../../device'
import { useRecorder } from '../../run'
import { rulebookQuery } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useSession } from '../../shared/session'
import { UNIT_KINDS } from '../../shared/trade.gen'
import { Button, Choice, FormError, Notice, SelectField } from '../../shared/ui'
import { progressQuery } from './core'

interface Card {
  key: string
  kind: string
  front: string
  back: string
  language: 'en' | 'es'
  level: number
  shown: string
  typed: boolean
}

interface Today {
  cards: Card[]
  fresh: number
  due: number
  all: { kind: string; front: string; back: string }[]
  next_at: string | null
}

interface Licence {
  kind: string
  rules: string
  front: 'en' | 'es'
  back: 'en' | 'es'
}

type Way = 'own' | 'typed'
const KEY = 'lowhiss.licence'
const RATINGS = ['again', 'hard', 'good', 'easy'] as const

/** The words by heart: today's cards, one at a time, on this device and without contact. */
export function CardsPage() {
  const { t } = useTranslation()
  const { language, when } = useFigures()
  const device = useRecorder()
  const queries = useQueryClient()
  const [licence, setLicence] = useState(() => remembered(language))
  const [way, setWay] = useState<Way>('own')
  const recorder = 'recorder' in device ? device.recorder : null
  const { me } = useSession()
  const examOn = useQuery(progressQuery(me.person?.id ?? '')).data?.exam_on ?? ''
  const today = useQuery({
    queryKey: ['cards', licence, examOn],
    networkMode: 'always',
    enabled: recorder !== null,
    retry: false,
    queryFn: async () => {
      const answers = (await (await recorder?.practices())?.cards.all()) ?? []
      const told = answers.map(({ card, rating, at, device: on, seq }) => ({
        card,
        rating,
        at,
        device: on,
        seq,
      }))
      const given = [JSON.stringify(licence), JSON.stringify(told), new Date().toISOString(), examOn]
      return (await askCore('cards_today', given)) as Today
    },
  })
  useEffect(() => {
    const meet = () =>
      void recorder
        ?.practices()
        .then(({ cards }) => cards.meet())
        .then(() => queries.invalidateQueries({ queryKey: ['cards'] }))
        .catch(() => undefined)
    meet()
    window.addEventListener('online', meet)
    return () => window.removeEventListener('online', meet)
  }, [recorder, queries])
  const choose = (part: Partial<Licence>) => {
    const next = { ...licence, ...part }
    setLicence(next)
    localStorage.setItem(KEY, JSON.stringify(next))
  }
  const answer = async (card: Card, rating: number, findings: string[], tookMs: number) => {
    const practices = await recorder?.practices()
    await practices?.cards.add({
      ...{ card: card.key, rating, level: card.level, way, findings, took_ms: Math.round(tookMs) },
    })
    await queries.invalidateQueries({ queryKey: ['cards'] })
    void practices?.cards.meet().catch(() => undefined)
  }
  const card = today.data?.cards[0]
  return (
    <div className="max-w-4xl py-3">
      <h1 className="text-title">{t('learn.cards.title')}</h1>
      <p className="no-print mt-1">{t('learn.cards.lead')}</p>
      <Wanted {...{ licence, way }} onChange={choose} onWay={setWay} />
      {!today.data && (today.error ? <FormError error={today.error} /> : <Notice />)}
      {today.data && (
        <>
          <p className="no-print mt-4 text-note text-soft" data-pile={today.data.cards.length}>
            {today.data.cards.length > 0
              ? t('learn.cards.today', { due: today.data.due, fresh: today.data.fresh })
              : t('learn.cards.done', { when: today.data.next_at ? when(today.data.next_at) : '' })}
          </p>
          {card && (
            <OneCard
              key={card.key}
              {...{ card, way, licence }}
              onAnswer={(rating, findings, ms) => void answer(card, rating, findings, ms)}
            />
          )}
          <Deck cards={today.data.all} />
        </>
      )}
    </div>
  )
}

interface WantedProps {
  licence: Licence
  way: Way
  onChange: (part: Partial<Licence>) => void
  onWay: (way: Way) => void
}

/** What is learnt: whose rules, which vehicle, from which language into which. */
function Wanted({ licence, way, onChange, onWay }: WantedProps) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const book = useQuery(rulebookQuery()).data
  const languages = (['en', 'es'] as const).map((value) => ({ value, text: value.toUpperCase() }))
  return (
    <div className="no-print mt-4 flex flex-wrap items-end gap-4">
      <SelectField
        label={t('learn.cards.school')}
        value={licence.rules}
        onChange={(event) => onChange({ rules: event.target.value })}
        options={(book?.rules ?? [])
          .filter(({ own }) => !own)
          .map(({ id, title }) => ({ value: id, text: title[language] ?? id }))}
      />
      <SelectField
        label={t('learn.cards.kind')}
        value={licence.kind}
        onChange={(event) => onChange({ kind: event.target.value })}
        options={UNIT_KINDS.map((kind) => ({ value: kind, text: t(`kind.${kind as 'bus'}`) }))}
      />
      <Choice
        label={t('learn.cards.from')}
        value={licence.front}
        options={languages}
        onChange={(front) => onChange({ front })}
      />
      <Choice
        label={t('learn.cards.into')}
        value={licence.back}
        options={languages}
        onChange={(back) => onChange({ back })}
      />
      <Choice
        label={t('learn.cards.way')}
        value={way}
        onChange={onWay}
        options={(['own', 'typed'] as const).map((value) => ({
          value,
          text: t(`learn.cards.ways.${value}`),
        }))}
      />
    </div>
  )
}

interface CardProps {
  card: Card
  way: Way
  licence: Licence
  onAnswer: (rating: number, findings: string[], tookMs: number) => void
}

interface Checked {
  findings: string[]
  rating: number
  said: string[]
}

/** One card: said aloud and ticked by oneself, or typed and checked by the core. */
function OneCard({ card, way, licence, onAnswer }: CardProps) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const [began] = useState(() => performance.now())
  const [text, setText] = useState('')
  const [turned, setTurned] = useState(false)
  const [checked, setChecked] = useState<Checked>()
  const [failed, setFailed] = useState<unknown>()
  const took = () => performance.now() - began
  const look = async () => {
    try {
      const given = [JSON.stringify(licence), card.key, text, language]
      setChecked((await askCore('card_answered', given)) as Checked)
      setTurned(true)
    } catch (error) {
      setFailed(error)
    }
  }
  return (
    <section data-card={card.kind} className="no-print mt-2 grid gap-4 border-2 border-ink bg-sheet p-5">
      <p className="text-note text-soft">{t('learn.cards.level', { level: card.level })}</p>
      <h2 className="text-title">{card.front}</h2>
      {!turned && card.shown && (
        <p lang={card.language} className="text-lead" data-shown>
          {card.shown}
        </p>
      )}
      {turned && (
        <p lang={card.language} className="border-l-8 border-air pl-3 text-title" data-back>
          {card.back}
        </p>
      )}
      {way === 'typed' && !turned && (
        <form
          className="grid gap-2"
          onSubmit={(event) => {
            event.preventDefault()
            void look()
          }}
        >
          <label className="grid gap-1">
            <span className="text-note text-soft">{t('learn.cards.type')}</span>
            <input
              autoFocus
              value={text}
              lang={card.language}
              maxLength={300}
              autoComplete="off"
              onChange={(event) => setText(event.target.value)}
              className="min-h-12 border-[1.5px] border-ink bg-paper px-3 text-lead"
            />
          </label>
          <Button type="submit" tone="air" className="justify-self-start">
            {t('learn.cards.check')}
          </Button>
        </form>
      )}
      {way === 'own' && !turned && (
        <Button tone="air" className="min-h-14 justify-self-start" onClick={() => setTurned(true)}>
          {t('learn.cards.show')}
        </Button>
      )}
      {turned && checked && (
        <div role="status" className="grid gap-2" data-rating={checked.rating}>
          {checked.said.length === 0 && <p className="font-bold">{t('learn.cards.right')}</p>}
          {checked.said.map((line) => (
            <p key={line} className="font-bold text-clay">
              {line}
            </p>
          ))}
          <Button
            tone="air"
            className="justify-self-start"
            onClick={() => onAnswer(checked.rating, checked.findings, took())}
          >
            {t('learn.cards.next')}
          </Button>
        </div>
      )}
      {turned && !checked && (
        <div className="grid grid-cols-2 gap-2 sm:grid-cols-4">
          {RATINGS.map((rating, n) => (
            <Button key={rating} onClick={() => onAnswer(n + 1, [], took())}>
              {t(`learn.cards.rate.${rating}`)}
            </Button>
          ))}
        </div>
      )}
      <FormError error={failed instanceof Error ? failed : null} />
    </section>
  )
}

/** All of them, to be printed. */
function Deck({ cards }: { cards: Today['all'] }) {
  const { t } = useTranslation()
  return (
    <section className="mt-8">
      <Button className="no-print" onClick={() => window.print()}>
        {t('learn.cards.print')}
      </Button>
      <dl className="mt-3 hidden columns-2 print:block">
        {cards.map(({ kind, front, back }, n) => (
          <div key={n} data-kind={kind} className="break-inside-avoid border-t border-line py-1.5">
            <dt className="text-note text-soft">{front}</dt>
            <dd className="font-semibold">{back}</dd>
          </div>
        ))}
      </dl>
    </section>
  )
}

function remembered(language: 'en' | 'es'): Licence {
  const usual = { kind: 'tractor_semitrailer', rules: 'us-cdl', front: language, back: language }
  try {
    return { ...usual, ...(JSON.parse(localStorage.getItem(KEY) ?? '{}') as Partial<Licence>) }
  } catch {
    return usual
  }
}
