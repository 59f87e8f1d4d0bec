import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { useRulebook } from '../../shared/figures/useRulebook'
import { Button, FormError, Modal, SelectField, TextField } from '../../shared/ui'
import { slugOf, type Edition, type Table } from './drafts'

interface NameFormProps {
  button: string
  /** What the draft holds beside its names. */
  table: (parent: string) => Table
  parents?: { value: string; text: string }[]
  onBegun: (edition: Edition) => void
}

/** Names for something of the fleet's own, and then its first draft. */
export function NameForm({ button, table, parents, onBegun }: NameFormProps) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const [fields, setFields] = useState({ en: '', es: '', id: '', parent: parents?.[0]?.value ?? '' })
  const id = fields.id || slugOf(fields.en)
  const begin = useMutation({
    mutationFn: () =>
      need(
        api.PUT('/api/rules/draft', {
          body: {
            table: { ...table(fields.parent), id, title: { en: fields.en, es: fields.es || fields.en } },
            revision: null,
          },
        }),
      ),
    onSuccess: async (edition) => {
      await queries.invalidateQueries({ queryKey: ['editions'] })
      onBegun(edition)
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    begin.mutate()
  }
  const line = (key: 'en' | 'es' | 'id') => ({
    value: key === 'id' ? id : fields[key],
    maxLength: key === 'id' ? 40 : 60,
    onChange: (event: { target: { value: string } }) =>
      setFields((now) => ({ ...now, [key]: event.target.value })),
  })
  return (
    <form onSubmit={submit} className="grid gap-4">
      {parents && (
        <SelectField
          label={t('rules.deriveFrom')}
          options={parents}
          value={fields.parent}
          onChange={(event) => setFields((now) => ({ ...now, parent: event.target.value }))}
        />
      )}
      <TextField label={t('rules.nameEn')} required {...line('en')} />
      <TextField label={t('rules.nameEs')} {...line('es')} />
      <TextField label={t('rules.id')} hint={t('rules.idHint')} required {...line('id')} />
      <FormError error={begin.error} />
      <Button type="submit" tone="air" disabled={begin.isPending || !fields.en.trim()}>
        {button}
      </Button>
    </form>
  )
}

export function DeriveDialog({
  onClose,
  onBegun,
}: {
  onClose: () => void
  onBegun: (edition: Edition) => void
}) {
  const { t } = useTranslation()
  const book = useRulebook()
  return (
    <Modal title={t('rules.deriveTitle')} open onClose={onClose}>
      <NameForm
        button={t('rules.begin')}
        parents={book.rules}
        table={(parent) => ({ format: 'low-hiss-rules/1', parent })}
        onBegun={onBegun}
      />
    </Modal>
  )
}
