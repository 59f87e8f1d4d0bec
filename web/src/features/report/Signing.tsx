import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useSession, type Person } from '../../shared/session'
import { Button, FormError, SelectField, TextField } from '../../shared/ui'
import { forgetPending, savePending, pendingOf, type Pending } from './pendingSignature'

type Signed = Schema['SignedOut']
type How = Signed['how']

interface SigningProps {
  run: Schema['RunOut']
  /** The report was judged on this device: there is no contact, and a signature waits. */
  here: boolean
}

/** Who signed the report, its seal, and signing it; without contact a signature is kept as pending. */
export function Signing({ run, here }: SigningProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { data } = useQuery({
    queryKey: ['seals', run.id, run.last_seq],
    enabled: !here,
    queryFn: ({ signal }) =>
      need(api.GET('/api/runs/{run_id}/seals', { signal, params: { path: { run_id: run.id } } })),
  })
  if (run.ended_by === null) return null
  const last = data?.seals.at(-1)
  return (
    <section data-signing className="grid gap-2 border-t-[1.5px] border-ink pt-3">
      <h2 className="text-lead">{t('report.sign.title')}</h2>
      {data?.problems.map((problem) => (
        <p key={problem} role="alert" className="border-l-4 border-clay pl-3 font-semibold text-clay">
          {t('report.sign.changed')} {problem}
        </p>
      ))}
      {data && data.signed.length > 0 && (
        <ul className="grid gap-1">
          {data.signed.map((one, n) => (
            <li key={n} data-signed={one.part}>
              <b>{one.name}</b>, {t(`report.sign.${one.part}`)}, {figures.when(one.signed_at)}{' '}
              <span className="text-note text-soft">{t(`report.sign.by_${one.how}`)}</span>
            </li>
          ))}
        </ul>
      )}
      {last && (
        <p data-seal={last.place} className="text-note break-all text-soft">
          {t('report.sign.sealed', {
            place: last.place,
            when: figures.when(last.sealed_at),
            hash: last.sha256,
          })}{' '}
          {data?.problems.length === 0 && t('report.sign.unchanged')}{' '}
          <a
            href={`/api/runs/${run.id}/seal-file`}
            download
            className="no-print inline-flex min-h-touch items-center underline underline-offset-4"
          >
            {t('report.sign.file')}
          </a>
        </p>
      )}
      {data && data.later > 0 && <p>{t('report.sign.later', { count: data.later })}</p>}
      <div className="no-print">
        <SignForm run={run} here={here} signed={data?.signed ?? []} />
      </div>
    </section>
  )
}

/** Who may sign as what is the server's to say; whoever is at the device shows again that it is them. */
function SignForm({ run, here, signed }: SigningProps & { signed: Signed[] }) {
  const { t } = useTranslation()
  const me = useSession().me.person
  const queries = useQueryClient()
  const cab = useQuery({
    queryKey: ['cab'],
    enabled: !here,
    queryFn: ({ signal }) => need(api.GET('/api/session/cab', { signal })),
  }).data
  const [who, setWho] = useState(me?.id ?? '')
  const [how, setHow] = useState<How>(me?.demo ? 'demo' : 'password')
  const [secret, setSecret] = useState('')
  const [pending, setPending] = useState<Pending | undefined>(() => pendingOf(run.id))
  // tried again after an answer was lost it is the same signature, and stands once
  const [fresh, setFresh] = useState(() => crypto.randomUUID())
  const people = [me, ...(cab ?? [])].filter(
    (one, place, all): one is Person => !!one && all.findIndex((other) => other?.id === one.id) === place,
  )
  const sign = useMutation({
    mutationFn: () =>
      need(
        api.POST('/api/runs/{run_id}/sign', {
          params: { path: { run_id: run.id } },
          body: {
            id: pending?.id ?? fresh,
            person_id: who,
            how,
            secret: how === 'demo' ? '' : secret,
            signed_at: pending?.signed_at ?? new Date().toISOString(),
          },
        }),
      ),
    onSuccess: async () => {
      forgetPending(run.id)
      setPending(undefined)
      setFresh(crypto.randomUUID())
      setSecret('')
      await queries.invalidateQueries({ queryKey: ['seals', run.id] })
      await queries.invalidateQueries({ queryKey: ['report', run.id] })
    },
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (here) setPending(savePending(run.id, me?.name ?? ''))
    else sign.mutate()
  }
  if (!me) return null
  if (here && pending)
    return (
      <p data-pending className="border-l-4 border-amber pl-3 font-semibold">
        {t('report.sign.pending', { name: pending.name })}
      </p>
    )
  if (here)
    return (
      <form onSubmit={submit}>
        <Button type="submit">{t('report.sign.doOffline')}</Button>
      </form>
    )
  return (
    <form onSubmit={submit} className="grid gap-2">
      {pending && (
        <p className="border-l-4 border-amber pl-3">{t('report.sign.waits', { name: pending.name })}</p>
      )}
      <div className="flex flex-wrap items-end gap-3">
        {people.length > 1 && (
          <SelectField
            label={t('report.sign.who')}
            value={who}
            onChange={(event) => {
              setWho(event.target.value)
              setHow(event.target.value === me.id ? (me.demo ? 'demo' : 'password') : 'pin')
            }}
            options={people.map(({ id, name }) => ({ value: id, text: name }))}
          />
        )}
        {how !== 'demo' && (
          <>
            <SelectField
              label={t('report.sign.with')}
              value={how}
              onChange={(event) => setHow(event.target.value as How)}
              options={(['password', 'pin'] as const).map((value) => ({
                value,
                text: t(`report.sign.${value}`),
              }))}
            />
            <TextField
              label={t(`report.sign.${how}`)}
              type="password"
              autoComplete={how === 'pin' ? 'off' : 'current-password'}
              inputMode={how === 'pin' ? 'numeric' : undefined}
              required
              value={secret}
              onChange={(event) => setSecret(event.target.value)}
            />
          </>
        )}
        <Button type="submit" tone={signed.length === 0 ? 'air' : 'plain'} disabled={sign.isPending}>
          {t('report.sign.do')}
        </Button>
      </div>
      <FormError error={sign.error} />
    </form>
  )
}
