import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay } from '../../shared/session'
import { Button, Choice, FormError, TextField } from '../../shared/ui'
import { readTokensQuery } from './readTokensQuery'

type Reads = Schema['ReadTokenOut']['reads']
const READS: readonly Reads[] = ['status', 'calendar']

/** Tokens by which a barrier, another system or a calendar reads how the fleet stands; a manager makes and voids them. */
export function ReadTokens() {
  const may = useMay('makeReadToken')
  return may ? <Tokens /> : null
}

function Tokens() {
  const { t } = useTranslation()
  const figures = useFigures()
  const queries = useQueryClient()
  const { data: tokens = [] } = useQuery(readTokensQuery())
  const [reads, setReads] = useState<Reads>('status')
  const [name, setName] = useState('')
  const again = () => queries.invalidateQueries({ queryKey: ['read-tokens'] })
  const make = useMutation({
    mutationFn: () => need(api.POST('/api/read-tokens', { body: { reads, name } })),
    onSuccess: again,
  })
  const drop = useMutation({
    mutationFn: (token_id: string) =>
      need(api.DELETE('/api/read-tokens/{token_id}', { params: { path: { token_id } } })),
    onSuccess: again,
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    make.mutate()
  }
  const { origin } = window.location
  const address = (token: string) =>
    reads === 'calendar' ? `${origin}/api/due.ics?token=${token}` : `${origin}/api/status`
  return (
    <section className="mt-8 max-w-2xl border-t border-line pt-4">
      <h2 className="text-lead">{t('workshop.tokens')}</h2>
      <p className="mb-2 text-soft">{t('workshop.tokensAbout')}</p>
      <ul>
        {tokens.map((token) => (
          <li key={token.id} className="flex flex-wrap items-center gap-x-4 border-b border-hair">
            <b>{token.name}</b>
            <span>{t(`workshop.reads.${token.reads}`)}</span>
            <span className="text-soft">
              {token.made_by}, {figures.when(token.made_at)}
            </span>
            <Button className="ml-auto" onClick={() => drop.mutate(token.id)}>
              {t('workshop.voidToken')}
            </Button>
          </li>
        ))}
      </ul>
      <form onSubmit={submit} className="mt-3 flex flex-wrap items-end gap-4">
        <Choice
          label={t('workshop.readsWhat')}
          value={reads}
          options={READS.map((value) => ({ value, text: t(`workshop.reads.${value}`) }))}
          onChange={setReads}
        />
        <TextField
          label={t('workshop.reader')}
          value={name}
          maxLength={80}
          onChange={(event) => setName(event.target.value)}
        />
        <Button type="submit" disabled={!name.trim() || make.isPending}>
          {t('units.feedToken')}
        </Button>
      </form>
      <FormError error={make.error ?? drop.error} />
      {make.data && (
        <p role="status" className="mt-3 border-l-4 border-ink pl-3">
          {t('workshop.tokenOnce')}
          <code className="block break-all">{address(make.data.token)}</code>
          {reads === 'status' && (
            <code className="block break-all">Authorization: Bearer {make.data.token}</code>
          )}
        </p>
      )}
    </section>
  )
}
