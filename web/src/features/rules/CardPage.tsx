import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useParams } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { unitLabel } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { Button, Choice, Notice } from '../../shared/ui'
import { cardQuery } from './queries'

const LANGUAGES = ['en', 'es', 'both'] as const

/** One unit's limits and words on a sheet of paper, for the cab: in one language or in both. */
export function CardPage() {
  const { unitId = '' } = useParams()
  const { t } = useTranslation()
  const figures = useFigures()
  const card = useQuery(cardQuery(unitId, figures.language, figures.unit))
  const [shown, setShown] = useState<(typeof LANGUAGES)[number]>(figures.language)
  if (!card.data) return <Notice error={card.error} onRetry={() => void card.refetch()} />
  const languages = shown === 'both' ? (['en', 'es'] as const) : ([shown] as const)
  const said = (words: Record<string, string>) => languages.map((language) => words[language]).join(' / ')
  const { unit, rules, procedure, holding, lines, caution } = card.data
  return (
    <>
      <div className="no-print flex flex-wrap items-end gap-4 pt-4">
        <Choice
          label={t('rules.cardIn')}
          value={shown}
          options={LANGUAGES.map((value) => ({ value, text: t(`rules.cardLanguages.${value}`) }))}
          onChange={setShown}
        />
        <Button tone="air" onClick={() => window.print()}>
          {t('rules.print')}
        </Button>
      </div>
      <article className="mt-4 max-w-4xl border-2 border-ink bg-sheet p-5" data-card>
        <h1 className="text-title">{unit}</h1>
        <p className="pb-3 text-note text-soft">
          {said(rules)} · {said(procedure)} · {t('rules.heldBy')}: {said(holding)}
        </p>
        <ol className="border-t-2 border-ink">
          {lines.map((line) => (
            <li
              key={line.stage}
              className="grid grid-cols-[minmax(8rem,13rem)_7.5rem_1fr] gap-x-4 border-b border-line py-2"
            >
              <b>{said(line.title)}</b>
              <span className="num text-figure leading-none font-bold">
                {line.limit ? line.limit : '–'}
                {line.limit && !line.limit.endsWith(' s') && (
                  <small className="text-note font-normal"> {unitLabel[figures.unit]}</small>
                )}
              </span>
              <span>
                {languages.map((language) => (
                  <span key={language} lang={language} className="block">
                    {line.said[language] || line.does[language]}
                  </span>
                ))}
                {line.source && <small className="block text-note text-soft">{line.source}</small>}
              </span>
            </li>
          ))}
        </ol>
        {languages.map((language) => (
          <p key={language} lang={language} className="pt-3 text-note">
            {caution[language]}
          </p>
        ))}
      </article>
    </>
  )
}
