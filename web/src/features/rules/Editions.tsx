import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay } from '../../shared/session'
import { Button, FormError, Modal, TextField } from '../../shared/ui'
import { refOf, type Edition } from './drafts'

/** Every version of the fleet's own: open it, take it along as a file, publish, retire. */
export function Editions({ editions }: { editions: Edition[] }) {
  const { t } = useTranslation()
  const writes = useMay('saveDraft')
  return (
    <div className="grid gap-3">
      {editions.length === 0 ? (
        <p className="text-soft">{t('rules.noneYet')}</p>
      ) : (
        <ul className="border-t-[1.5px] border-ink">
          {editions.map((one) => (
            <EditionLine key={`${one.kind} ${refOf(one)}`} edition={one} editions={editions} />
          ))}
        </ul>
      )}
      {writes && <BringIn />}
    </div>
  )
}

function EditionLine({ edition, editions }: { edition: Edition; editions: Edition[] }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const navigate = useNavigate()
  const queries = useQueryClient()
  const writes = useMay('saveDraft')
  const manages = useMay('publishRules')
  const [asking, setAsking] = useState<'publish' | 'retire'>()
  const { kind, name, version, state } = edition
  const newest = editions.find((one) => one.kind === kind && one.name === name)?.version === version
  const title = edition.title[figures.language] ?? name
  const room = kind === 'rules' ? '/rules' : '/rules/orders'
  const write = useMutation({
    mutationFn: () => need(api.PUT('/api/rules/draft', { body: { table: edition.written, revision: null } })),
    onSuccess: async (draft) => {
      await queries.invalidateQueries({ queryKey: ['editions'] })
      void navigate(`${room}?draft=${refOf(draft)}&sets=${edition.parent ?? 'us-cdl'}&sets=${refOf(draft)}`)
    },
  })
  const drop = useMutation({
    mutationFn: () =>
      need(
        api.POST('/api/rules/{kind}/{name}/drop', {
          params: { path: { kind, name } },
          body: { revision: edition.revision },
        }),
      ),
    onSuccess: () => {
      void navigate(room, { replace: true })
      return queries.invalidateQueries({ queryKey: ['editions'] })
    },
  })
  return (
    <li
      data-edition={`${kind} ${refOf(edition)}`}
      className="grid gap-x-4 gap-y-1 border-b border-hair py-2 sm:grid-cols-[1fr_auto]"
    >
      <div>
        <b>{title}</b>{' '}
        <span className="text-note text-soft">
          {t(kind === 'rules' ? 'rules.rules' : 'rules.order')}, {t('rules.version', { version })},{' '}
          {t(`rules.states.${state}`)}
          {edition.effective_from && `, ${t('rules.since', { when: figures.day(edition.effective_from) })}`}
          {state === 'draft'
            ? `, ${edition.drafted_by}`
            : edition.published_by && `, ${edition.published_by}`}
        </span>
        <FormError error={write.error ?? drop.error} />
      </div>
      <div className="flex flex-wrap items-center gap-x-4">
        {state === 'draft' && writes && (
          <Link_
            onPress={() =>
              void navigate(
                `${room}?draft=${refOf(edition)}&sets=${edition.parent ?? 'us-cdl'}&sets=${refOf(edition)}`,
              )
            }
          >
            {t('rules.openDraft')}
          </Link_>
        )}
        {state === 'draft' && writes && <Link_ onPress={() => drop.mutate()}>{t('rules.drop')}</Link_>}
        {state === 'draft' &&
          (manages ? (
            <Button tone="air" onClick={() => setAsking('publish')}>
              {t('rules.publish')}
            </Button>
          ) : (
            <span className="text-note text-soft">{t('rules.onlyManagers')}</span>
          ))}
        {state === 'published' && newest && writes && (
          <Link_ onPress={() => write.mutate()}>{t('rules.newVersion', { version: version + 1 })}</Link_>
        )}
        {state === 'published' && newest && manages && (
          <Link_ onPress={() => setAsking('retire')}>{t('rules.retire')}</Link_>
        )}
        <a
          href={`/api/rules/${kind}/${encodeURIComponent(name)}/file?version=${version}`}
          download={`${name}.toml`}
          className="inline-flex min-h-9 items-center text-note underline underline-offset-4"
        >
          {t('rules.file')}
        </a>
      </div>
      {asking === 'publish' && <PublishDialog {...{ edition, title }} onClose={() => setAsking(undefined)} />}
      {asking === 'retire' && <RetireDialog {...{ edition, title }} onClose={() => setAsking(undefined)} />}
    </li>
  )
}

function Link_({ children, onPress }: { children: string; onPress: () => void }) {
  return (
    <button type="button" onClick={onPress} className="min-h-9 text-note underline underline-offset-4">
      {children}
    </button>
  )
}

interface DialogProps {
  edition: Edition
  title: string
  onClose: () => void
}

const today = () => new Date().toLocaleDateString('sv')

/** Publishing says what it means, and from when. */
function PublishDialog({ edition, title, onClose }: DialogProps) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [day, setDay] = useState(today)
  const { kind, name, version, revision } = edition
  const publish = useMutation({
    mutationFn: () =>
      need(
        api.POST('/api/rules/{kind}/{name}/publish', {
          params: { path: { kind, name } },
          body: { revision, effective_from: day === today() ? null : new Date(`${day}T00:00`).toISOString() },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({
        predicate: ({ queryKey }) =>
          ['editions', 'compare', 'rulebook', 'script', 'groups', 'units'].includes(String(queryKey[0])),
      })
      onClose()
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    publish.mutate()
  }
  return (
    <Modal title={t('rules.publishTitle', { version, title })} open onClose={onClose}>
      <form onSubmit={submit} className="grid gap-4">
        <p>{t('rules.publishBody')}</p>
        <TextField
          type="date"
          label={t('rules.effective')}
          value={day}
          min={today()}
          required
          onChange={(event) => setDay(event.target.value)}
        />
        <FormError error={publish.error} />
        <div className="flex flex-wrap gap-3">
          <Button type="submit" tone="air" disabled={publish.isPending}>
            {t('rules.publish')}
          </Button>
          <Button onClick={onClose}>{t('app.cancel')}</Button>
        </div>
      </form>
    </Modal>
  )
}

function RetireDialog({ edition, title, onClose }: DialogProps) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const { kind, name } = edition
  const retire = useMutation({
    mutationFn: () => need(api.POST('/api/rules/{kind}/{name}/retire', { params: { path: { kind, name } } })),
    onSuccess: async () => {
      await queries.invalidateQueries({
        predicate: ({ queryKey }) => ['editions', 'compare', 'rulebook'].includes(String(queryKey[0])),
      })
      onClose()
    },
  })
  return (
    <Modal title={t('rules.retireTitle', { title })} open onClose={onClose}>
      <p>{t('rules.retireBody')}</p>
      <FormError error={retire.error} />
      <div className="flex flex-wrap gap-3">
        <Button tone="clay" disabled={retire.isPending} onClick={() => retire.mutate()}>
          {t('rules.retire')}
        </Button>
        <Button onClick={onClose}>{t('app.cancel')}</Button>
      </div>
    </Modal>
  )
}

/** A rule file becomes a draft. */
function BringIn() {
  const { t } = useTranslation()
  const figures = useFigures()
  const queries = useQueryClient()
  const bring = useMutation({
    mutationFn: (file: File) =>
      need(
        api.POST('/api/rules/import', {
          body: file as unknown as string,
          bodySerializer: (body) => body as unknown as BodyInit,
          headers: { 'Content-Type': 'text/plain' },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['editions'] }),
  })
  return (
    <div className="grid justify-items-start gap-2">
      <label className="inline-flex min-h-touch cursor-pointer items-center border-[1.5px] border-ink bg-sheet px-4 font-semibold focus-within:outline-3 focus-within:outline-air">
        {t('rules.bringIn')}
        <input
          type="file"
          accept=".toml,text/plain"
          className="sr-only"
          onChange={(event) => {
            const file = event.target.files?.[0]
            if (file) bring.mutate(file)
            event.target.value = ''
          }}
        />
      </label>
      <FormError error={bring.error} />
      {bring.data && (
        <p role="status">
          {t('rules.broughtIn', { title: bring.data.title[figures.language] ?? bring.data.name })}
        </p>
      )}
    </div>
  )
}
