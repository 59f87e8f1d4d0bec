import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { CONSEQUENCES, type Consequence } from '../../shared/trade'
import { Button, FormError } from '../../shared/ui'
import { smaller } from '../acts/photos'
import type { Ask, InspectionScript } from './fold'

export interface Found {
  answer: 'not_right' | 'fixed'
  wrong: string[]
  yes: string[]
  text: string
  teaching: boolean
  photos: Blob[]
}

interface NotRightProps {
  script: InspectionScript
  ask: Ask
  wrong: string[]
  /** The conditions that are a matter of looking. */
  checks: string[]
  /** Whether a real vehicle is only rehearsed on: then a finding may be set up. */
  mayTeach: boolean
  onWrong: (wrong: string[]) => void
  onSave: (found: Found) => void
  onCancel: () => void
}

/** What is not so, what that means under the rules, and a word or photograph where it helps. */
export function NotRight({ script, ask, wrong, checks, mayTeach, onWrong, onSave, onCancel }: NotRightProps) {
  const { t } = useTranslation()
  const item = script.items[ask.item]
  const [told, setTold] = useState<Record<string, boolean>>({})
  const yes = Object.keys(told).filter((id) => told[id])
  const [text, setText] = useState('')
  const [teaching, setTeaching] = useState(false)
  const [photos, setPhotos] = useState<Blob[]>([])
  const [error, setError] = useState<Error | null>(null)
  if (!item) return null
  const means = meansOf(item, yes)
  const keep = (answer: Found['answer']) =>
    onSave({ answer, wrong, yes, text: text.trim(), teaching, photos })
  const takePhotos = (files: FileList | null) => {
    setError(null)
    Promise.all([...(files ?? [])].map(smaller)).then(
      (made) => setPhotos((before) => [...before, ...made].slice(0, 12)),
      () => setError(new Error(t('acts.noPicture'))),
    )
  }
  return (
    <section data-not-right className="grid gap-3">
      <Words {...{ script, wrong, checks, onWrong }} />
      {item.questions.map((question) => (
        <Ask
          key={question.id}
          question={question}
          so={told[question.id]}
          onSo={(so) => setTold({ ...told, [question.id]: so })}
        />
      ))}
      <p data-means={means ?? 'none'} className="border-l-8 border-clay bg-sheet px-3 py-2">
        <span className="block text-note text-soft">{t('inspection.follows')}</span>
        <b className="text-figure">{means ? t(`acts.consequence.${means}`) : t('inspection.none')}</b>
      </p>
      <details>
        <summary className="flex min-h-touch cursor-pointer items-center underline underline-offset-4">
          {t('inspection.more')}
        </summary>
        <div className="grid gap-3">
          <label className="grid gap-1">
            <span className="text-note text-soft">
              {t('inspection.note')} ({t('inspection.noteHint')})
            </span>
            <input
              value={text}
              maxLength={200}
              onChange={(event) => setText(event.target.value)}
              className="min-h-touch border-[1.5px] border-ink bg-sheet px-3"
            />
          </label>
          <label className="grid gap-1">
            <span className="text-note text-soft">
              {photos.length ? t('inspection.photos', { count: photos.length }) : t('inspection.photo')}
            </span>
            <input
              type="file"
              accept="image/jpeg,image/png,image/webp"
              capture="environment"
              onChange={(event) => takePhotos(event.target.files)}
              className="min-h-touch file:mr-3 file:min-h-touch file:border-[1.5px] file:border-ink file:bg-sheet file:px-4 file:font-semibold"
            />
          </label>
        </div>
      </details>
      <FormError error={error} />
      {mayTeach && (
        <label className="flex min-h-touch items-center gap-3">
          <input
            type="checkbox"
            checked={teaching}
            onChange={(event) => setTeaching(event.target.checked)}
            className="size-6"
          />
          {t('inspection.teaching')}
        </label>
      )}
      <div className="grid gap-2">
        <Button tone="clay" className="min-h-14" onClick={() => keep('not_right')}>
          {means
            ? t('inspection.saveMeans', { means: t(`acts.consequence.${means}`) })
            : t('inspection.keep')}
        </Button>
        {item.fixable && (
          <Button className="min-h-14" onClick={() => keep('fixed')}>
            {t('inspection.putRight')}
          </Button>
        )}
        <button type="button" onClick={onCancel} className="min-h-touch underline underline-offset-4">
          {t('inspection.cancel')}
        </button>
      </div>
    </section>
  )
}

interface WordsProps {
  script: InspectionScript
  checks: string[]
  wrong: string[]
  onWrong: (wrong: string[]) => void
}

/** The conditions of an item; one that is touched is not so. */
export function Words({ script, checks, wrong, onWrong }: WordsProps) {
  const { t } = useTranslation()
  const known = new Map(script.conditions.map((one) => [one.id, one]))
  return (
    <div role="group" aria-label={t('inspection.notRight')}>
      <div className="flex flex-wrap gap-2">
        {checks.map((id) => {
          const condition = known.get(id)
          const isWrong = wrong.includes(id)
          return (
            <button
              key={id}
              type="button"
              data-condition={id}
              aria-pressed={isWrong}
              title={condition?.means}
              onClick={() => onWrong(isWrong ? wrong.filter((one) => one !== id) : [...wrong, id])}
              className={`min-h-touch grow border-[1.5px] px-3 font-semibold ${isWrong ? 'border-clay bg-clay text-on-clay' : 'border-line bg-hair'}`}
            >
              {isWrong ? condition?.not_so : condition?.label}
            </button>
          )
        })}
      </div>
      {wrong.length === 0 && <p className="mt-1 text-note text-soft">{t('inspection.touchWord')}</p>}
    </div>
  )
}

interface AskProps {
  question: Schema['QuestionOut']
  /** As it was answered; undefined while nobody has. */
  so: boolean | undefined
  onSo: (so: boolean) => void
}

function Ask({ question, so, onSo }: AskProps) {
  const { t } = useTranslation()
  return (
    <div role="group" aria-label={question.ask} className="grid grid-cols-[1fr_auto_auto] items-center gap-2">
      <span>{question.ask}</span>
      {[true, false].map((one) => (
        <button
          key={String(one)}
          type="button"
          aria-pressed={so === one}
          onClick={() => onSo(one)}
          className={`min-h-touch min-w-touch border-[1.5px] border-ink px-3 ${so === one ? 'bg-ink text-on-ink' : 'bg-sheet'}`}
        >
          {t(one ? 'inspection.yes' : 'inspection.no')}
        </button>
      ))}
    </div>
  )
}

/** What the server's table says follows: its default, or the worst of what was found to be so. */
function meansOf(item: InspectionScript['items'][string], yes: string[]): Consequence | null {
  const so = item.questions.filter(({ id }) => yes.includes(id)).map(({ to }) => to)
  return CONSEQUENCES.find((one) => so.includes(one)) ?? item.means
}
