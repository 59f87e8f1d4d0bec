import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, peopleQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay, useSession } from '../../shared/session'
import { Button, FormError, Modal, Notice, SelectField, TextField } from '../../shared/ui'
import { readingQuery } from './readingQuery'

type Listed = Schema['ListedPersonOut']
type Role = Listed['role']
const roles = ['driver', 'trainer', 'workshop', 'manager'] as const

/** Everybody who may sign in, with what a manager can do about them. */
export function PeoplePage() {
  const { t } = useTranslation()
  const { data, error, refetch } = useQuery(peopleQuery())
  const mayAdd = useMay('addPerson')
  const [editing, setEditing] = useState<Listed | 'new'>()
  const [code, setCode] = useState<{ name: string; code: string }>()
  const [search, setSearch] = useState('')
  if (!data) return <Notice error={error} onRetry={() => void refetch()} />
  const wanted = data.filter(({ name }) => name.toLowerCase().includes(search.trim().toLowerCase()))
  return (
    <>
      <div className="flex flex-wrap items-end gap-4 pt-5 pb-3">
        <h1 className="mr-auto text-title">{t('people.title')}</h1>
        <input
          type="search"
          aria-label={t('people.search')}
          placeholder={t('people.search')}
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          className="h-11 w-60 border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
        />
        {mayAdd && (
          <Button tone="air" onClick={() => setEditing('new')}>
            {t('people.add')}
          </Button>
        )}
      </div>
      <table className="w-full border-collapse">
        <thead className="text-left text-note text-soft">
          <tr className="border-b-[1.5px] border-ink">
            <th className="py-1.5 pr-3 font-semibold">{t('people.name')}</th>
            <th className="pr-3 font-semibold">{t('people.role')}</th>
            <th className="pr-3 font-semibold max-sm:hidden">{t('people.language')}</th>
            <th className="pr-3 font-semibold max-sm:hidden">{t('people.state')}</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {wanted.map((person) => (
            <Row
              key={person.id}
              person={person}
              onEdit={() => setEditing(person)}
              onCode={(made) => setCode({ name: person.name, code: made })}
            />
          ))}
        </tbody>
      </table>
      {editing && (
        <EditPerson
          person={editing === 'new' ? undefined : editing}
          onClose={() => setEditing(undefined)}
          onCode={(name, made) => setCode({ name, code: made })}
        />
      )}
      <Modal
        title={t('people.codeFor', { name: code?.name ?? '' })}
        open={!!code}
        onClose={() => setCode(undefined)}
      >
        <p className="num text-center text-[2.6rem] tracking-wider select-all">{code?.code}</p>
        <p>{t('people.codeHint')}</p>
        <Button onClick={() => setCode(undefined)}>{t('app.close')}</Button>
      </Modal>
    </>
  )
}

function Row({
  person,
  onEdit,
  onCode,
}: {
  person: Listed
  onEdit: () => void
  onCode: (code: string) => void
}) {
  const { t } = useTranslation()
  const { me } = useSession()
  const may = { edit: useMay('editPerson'), retire: useMay('retirePerson'), reset: useMay('resetPerson') }
  const [asked, setAsked] = useState(false)
  const mayRead = useMay('getReading')
  const { unit, language } = useFigures()
  const reading = useQuery({ ...readingQuery(person.id, language, unit), enabled: asked })
  const queries = useQueryClient()
  const path = { person_id: person.id }
  const refresh = () => queries.invalidateQueries({ queryKey: ['people'] })
  const retire = useMutation({
    mutationFn: () =>
      need(
        api.POST('/api/people/{person_id}/retired', {
          params: { path },
          body: { version: person.version, retired: !person.retired },
        }),
      ),
    onSettled: refresh,
  })
  const reset = useMutation({
    mutationFn: () => need(api.POST('/api/people/{person_id}/code', { params: { path } })),
    onSuccess: ({ code }) => onCode(code),
  })
  const state = person.retired ? 'retired' : person.joined || person.demo ? 'joined' : 'invited'
  return (
    <tr className={`h-13 border-b border-hair ${person.retired ? 'text-soft' : ''}`}>
      <th scope="row" className="pr-3 text-left font-semibold">
        {person.name}
        {person.id === me.person?.id && <span className="font-normal text-soft"> ({t('people.you')})</span>}
      </th>
      <td className="pr-3">
        {t(`role.${person.role}`)}
        {reading.data && <p className="max-w-md text-note">{reading.data.text}</p>}
      </td>
      <td className="pr-3 max-sm:hidden">{person.language === 'es' ? 'Español' : 'English'}</td>
      <td className="pr-3 max-sm:hidden">{t(`people.states.${state}`)}</td>
      <td className="text-right sm:whitespace-nowrap">
        {mayRead && !asked && (
          <Action word={t('people.reading')} of={person.name} onClick={() => setAsked(true)} />
        )}
        {may.edit && !person.retired && <Action word={t('people.edit')} of={person.name} onClick={onEdit} />}
        {may.reset && !person.retired && !person.demo && (
          <Action word={t('people.reset')} of={person.name} onClick={() => reset.mutate()} />
        )}
        {may.retire && person.id !== me.person?.id && (
          <Action
            word={person.retired ? t('people.back') : t('people.retire')}
            of={person.name}
            onClick={() => retire.mutate()}
          />
        )}
        <FormError error={retire.error ?? reset.error} />
      </td>
    </tr>
  )
}

function Action({ word, of, onClick }: { word: string; of: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={`${word}: ${of}`}
      onClick={onClick}
      className="min-h-11 px-2 text-air underline underline-offset-4"
    >
      {word}
    </button>
  )
}

function EditPerson({
  person,
  onClose,
  onCode,
}: {
  person?: Listed
  onClose: () => void
  onCode: (name: string, code: string) => void
}) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [name, setName] = useState(person?.name ?? '')
  const [role, setRole] = useState<Role>(person?.role ?? 'driver')
  const save = useMutation({
    mutationFn: async () => {
      if (person) {
        const params = { path: { person_id: person.id } }
        await need(
          api.PUT('/api/people/{person_id}', { params, body: { name, role, version: person.version } }),
        )
        return undefined
      }
      return (await need(api.POST('/api/people', { body: { name, role } }))).code
    },
    onSuccess: (code) => {
      void queries.invalidateQueries({ queryKey: ['people'] })
      onClose()
      if (code) onCode(name, code)
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    save.mutate()
  }
  return (
    <Modal
      title={person ? t('people.editTitle', { name: person.name }) : t('people.addTitle')}
      open
      onClose={onClose}
    >
      <form onSubmit={submit} className="grid gap-4">
        <TextField
          label={t('people.name')}
          value={name}
          onChange={(e) => setName(e.target.value)}
          required
          maxLength={80}
          autoFocus
        />
        <SelectField
          label={t('people.role')}
          value={role}
          onChange={(e) => setRole(e.target.value as Role)}
          options={roles.map((value) => ({ value, text: t(`role.${value}`) }))}
        />
        <FormError error={save.error} />
        <div className="flex gap-3">
          <Button type="submit" tone="air" disabled={save.isPending}>
            {t('app.save')}
          </Button>
          <Button onClick={onClose}>{t('app.cancel')}</Button>
        </div>
      </form>
    </Modal>
  )
}
