import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay } from '../../shared/session'
import { SelectField } from '../../shared/ui'
import type { Debriefed } from './Debrief'
import { nameOf, type After, type TrueMark } from './TruthChart'

interface CompareProps {
  practiceId: string
  after: After
  debrief: Debriefed
}

/** Two attempts at the same drive side by side, laid over each other by what happened and not by the clock. */
export function Compare({ practiceId, after, debrief }: CompareProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { language, unit } = figures
  const trains = useMay('listPeople')
  const [other, setOther] = useState('')
  const all = useQuery({
    queryKey: ['practices', trains],
    queryFn: () => need(api.GET('/api/practices', { params: { query: { everybody: trains } } })),
    retry: false,
  }).data
  const same = all?.filter(
    ({ id, ended, summary }) =>
      ended &&
      id !== practiceId &&
      summary?.lesson === debrief.lesson?.id &&
      summary?.drive === debrief.lesson?.drive,
  )
  const beside = useQuery({
    queryKey: ['practice-beside', other, language, unit],
    enabled: other !== '',
    queryFn: () =>
      need(
        api.GET('/api/practices/{practice_id}', {
          params: { path: { practice_id: other }, query: { lang: language, unit } },
        }),
      ),
  }).data
  const theirs = beside?.after as After | undefined
  if (!debrief.lesson || !same || same.length === 0) return null
  return (
    <section data-compare className="mt-6">
      <div className="max-w-sm">
        <SelectField
          label={t('learn.debrief.compare')}
          value={other}
          onChange={(event) => setOther(event.target.value)}
          options={[
            { value: '', text: '–' },
            ...same.map(({ id, began_at, person, mine, summary }) => ({
              value: id,
              text: `${mine ? '' : `${person} · `}${figures.date(began_at)} · ${t('learn.debrief.score', { total: summary?.total as number })}`,
            })),
          ]}
        />
      </div>
      {theirs?.debrief && beside && (
        <div className="mt-3 overflow-x-auto" tabIndex={0}>
          <table className="w-full max-w-3xl text-left">
            <thead className="text-note text-soft">
              <tr>
                <th className="font-normal" />
                <th className="text-right font-normal">{t('learn.debrief.this')}</th>
                <th className="text-right font-normal">{figures.date(beside.head.began_at)}</th>
              </tr>
            </thead>
            <tbody>
              <Groups mine={debrief} theirs={theirs.debrief} />
              <MarkRows mine={after.marks} theirs={theirs.marks} />
            </tbody>
          </table>
        </div>
      )}
    </section>
  )
}

function Groups({ mine, theirs }: { mine: Debriefed; theirs: Debriefed }) {
  const points = (of: Debriefed, group: string) =>
    Math.round(of.score.parts.find((part) => part.group === group)?.points ?? 0)
  return mine.score.parts.map(({ group, title, whole }) => (
    <tr key={group} className="border-t border-line">
      <th scope="row" className="py-1 font-semibold">
        {title}
      </th>
      <td className="num text-right">
        {points(mine, group)} / {whole}
      </td>
      <td className="num text-right">
        {points(theirs, group)} / {whole}
      </td>
    </tr>
  ))
}

/** The same mark in both, the second cut-out beside the second. */
function MarkRows({ mine, theirs }: { mine: TrueMark[]; theirs: TrueMark[] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const kth = (marks: TrueMark[], n: number) => {
    const name = nameOf(mine[n] as TrueMark)
    const before = mine.slice(0, n).filter((mark) => nameOf(mark) === name).length
    return marks.filter((mark) => nameOf(mark) === name)[before]
  }
  const told = (mark: TrueMark | undefined) => {
    if (!mark) return '–'
    const late = mark.late_s === null ? '' : `${mark.late_s > 0 ? '+' : ''}${figures.seconds(mark.late_s)} s`
    const typed = mark.typed_psi?.map((psi) => figures.reading(psi)).join(' · ')
    return [late.replace('-', '−'), typed].filter(Boolean).join(' | ') || '–'
  }
  return mine.map((mark, n) => (
    <tr key={n} className="border-t border-line">
      <th scope="row" className="py-1 font-normal">
        {t(`practice.truth.marks.${nameOf(mark)}`)}
      </th>
      <td className={`num text-right ${mark.quality === 'good' ? '' : 'font-bold text-clay'}`}>
        {told(mark)}
      </td>
      <td className="num text-right text-soft">{told(kth(theirs, n))}</td>
    </tr>
  ))
}
