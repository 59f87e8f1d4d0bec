import { useQuery } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { groupsQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { CONSEQUENCES, type Consequence } from '../../shared/trade'
import { Button, Choice, FormError, Modal, TextField } from '../../shared/ui'
import { smaller } from './photos'
import { useActs, type PartRef } from './useActs'

const MOST_PHOTOS = 12

interface ReportDefectProps {
  /** The power unit, then what it pulls: whichever it is on is chosen. */
  parts: PartRef[]
  rules: string
  /** What a finding of the judge proposes. */
  proposed?: { finding: string; group: string; what: string; run: string }
  onClose: () => void
}

/** Something is not right: which part, what, where, and what follows. Kept on this device first. */
export function ReportDefect({ parts, rules, proposed, onClose }: ReportDefectProps) {
  const { t } = useTranslation()
  const { language } = useFigures()
  const groups = useQuery(groupsQuery()).data ?? []
  const act = useActs()
  const [part, setPart] = useState(parts[0]?.id ?? '')
  const [search, setSearch] = useState('')
  const [chosenGroup, setGroup] = useState<Schema['GroupOut'] | null>()
  const group =
    chosenGroup === undefined ? (groups.find(({ id }) => id === proposed?.group) ?? null) : chosenGroup
  const [what, setWhat] = useState(proposed?.what ?? '')
  const [where, setWhere] = useState('')
  const [chosen, setChosen] = useState<Consequence>()
  const [photos, setPhotos] = useState<Blob[]>([])
  const [error, setError] = useState<Error | null>(null)
  const takePhotos = (files: FileList | null) => {
    setError(null)
    Promise.all([...(files ?? [])].map(smaller)).then(
      (made) => setPhotos((before) => [...before, ...made].slice(0, MOST_PHOTOS)),
      () => setError(new Error(t('acts.noPicture'))),
    )
  }
  const byTable = group && (group.by_rules[rules] ?? group.otherwise)
  const consequence = chosen ?? byTable ?? 'note'
  // whoever sees it may call it worse than the table does, never milder
  const open = CONSEQUENCES.filter(
    (one) => !byTable || CONSEQUENCES.indexOf(one) <= CONSEQUENCES.indexOf(byTable),
  )
  const on = parts.find(({ id }) => id === part)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (!on) return
    const body = {
      ...(group && { group: group.id }),
      ...(proposed && { finding: proposed.finding, ...(proposed.run && { run: proposed.run }) }),
      ...(what.trim() && { what: what.trim() }),
      ...(where.trim() && { where: where.trim() }),
      ...(consequence !== byTable && { consequence }),
    }
    act('defect_seen', on, body, photos).then(onClose, setError)
  }
  const word = search.trim().toLocaleLowerCase(language)
  const found = word
    ? groups.filter(({ name }) => name[language]?.toLocaleLowerCase(language).includes(word)).slice(0, 6)
    : []
  return (
    <Modal title={t('acts.report', { unit: on?.name ?? '' })} open onClose={onClose}>
      <form onSubmit={submit} className="grid gap-4">
        {parts.length > 1 && (
          <Choice
            label={t('acts.onWhich')}
            value={part}
            options={parts.map(({ id, name }) => ({ value: id, text: name }))}
            onChange={setPart}
          />
        )}
        {group ? (
          <p className="flex items-center justify-between border-[1.5px] border-ink px-3">
            <b>{group.name[language]}</b>
            <button
              type="button"
              className="min-h-touch underline underline-offset-4"
              onClick={() => {
                setGroup(null)
                setChosen(undefined)
              }}
            >
              {t('acts.otherPart')}
            </button>
          </p>
        ) : (
          <div>
            <TextField
              autoFocus
              label={t('acts.part')}
              hint={t('acts.partHint')}
              value={search}
              maxLength={60}
              onChange={(event) => setSearch(event.target.value)}
            />
            {found.length > 0 && (
              <ul className="mt-2 flex flex-wrap gap-2">
                {found.map((one) => (
                  <li key={one.id}>
                    <Button
                      onClick={() => {
                        setGroup(one)
                        setChosen(undefined)
                      }}
                    >
                      {one.name[language]}
                    </Button>
                  </li>
                ))}
              </ul>
            )}
          </div>
        )}
        <TextField
          label={t('acts.what')}
          value={what}
          maxLength={500}
          onChange={(event) => setWhat(event.target.value)}
        />
        <TextField
          label={t('acts.where')}
          hint={t('acts.whereHint')}
          value={where}
          maxLength={200}
          onChange={(event) => setWhere(event.target.value)}
        />
        <Choice
          label={t('acts.follows')}
          value={consequence}
          options={open.map((value) => ({ value, text: t(`acts.consequence.${value}`) }))}
          onChange={setChosen}
        />
        <label className="grid gap-1">
          <span className="text-note text-soft">{t('acts.photos', { count: photos.length })}</span>
          <input
            type="file"
            accept="image/jpeg,image/png,image/webp"
            capture="environment"
            multiple
            onChange={(event) => takePhotos(event.target.files)}
            className="min-h-touch file:mr-3 file:min-h-touch file:border-[1.5px] file:border-ink file:bg-sheet file:px-4 file:font-semibold"
          />
        </label>
        <FormError error={error} />
        <div className="flex gap-3">
          <Button type="submit" tone="air" disabled={!group && !what.trim()}>
            {t('acts.saveDefect')}
          </Button>
          <Button onClick={onClose}>{t('app.cancel')}</Button>
        </div>
      </form>
    </Modal>
  )
}
