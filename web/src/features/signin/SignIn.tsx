import { useMutation, useQuery } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { PreferencesMenu } from '../../shared/preferences/PreferencesMenu'
import { api, need } from '../../shared/api'
import { useSession, type Me, type Person } from '../../shared/session'
import { Button, FormError, TextField } from '../../shared/ui'

/** The sign-in page; `again` names who was signed in when a session ended in the middle of something. */
export function SignIn({ again }: { again?: string }) {
  const { t } = useTranslation()
  const { me } = useSession()
  const [withCode, setWithCode] = useState(false)
  return (
    <div className="mx-auto max-w-5xl px-4 py-8 sm:px-8">
      <div className="mb-8 flex items-center justify-between border-b-2 border-ink pb-3">
        <b className="text-title" style={{ fontStretch: '118%' }}>
          Low Hiss
        </b>
        <PreferencesMenu />
      </div>
      {again && (
        <p role="status" className="mb-6 border-l-4 border-amber pl-3 text-lead font-semibold">
          {t('signin.again')}
        </p>
      )}
      <div className="grid gap-10 md:grid-cols-2">
        <div className="grid content-start gap-6">
          {withCode ? <CodeForm /> : <PasswordForm name={again ?? ''} />}
          <button
            type="button"
            onClick={() => setWithCode(!withCode)}
            className="min-h-touch self-start justify-self-start text-air underline underline-offset-4"
          >
            {withCode ? t('signin.withPassword') : t('signin.withCode')}
          </button>
          <CabPeople />
        </div>
        {me.demo_people.length > 0 && <DemoPeople people={me.demo_people} />}
      </div>
      <p className="mt-10 max-w-2xl text-note text-soft">{t('app.caution')}</p>
    </div>
  )
}

function useSigningIn<Body>(send: (body: Body) => Promise<Me>) {
  const { begin } = useSession()
  return useMutation({ mutationFn: send, onSuccess: begin })
}

function Form({
  title,
  onSend,
  error,
  children,
}: {
  title: string
  onSend: () => void
  error: Error | null
  children: ReactNode
}) {
  const submit = (event: FormEvent) => {
    event.preventDefault()
    onSend()
  }
  return (
    <form onSubmit={submit} className="grid gap-4">
      <h1 className="text-title">{title}</h1>
      {children}
      <FormError error={error} />
    </form>
  )
}

function PasswordForm({ name: known }: { name: string }) {
  const { t } = useTranslation()
  const [name, setName] = useState(known)
  const [password, setPassword] = useState('')
  const signIn = useSigningIn((body: { name: string; password: string }) =>
    need(api.POST('/api/session/sign-in', { body })),
  )
  return (
    <Form title={t('signin.title')} onSend={() => signIn.mutate({ name, password })} error={signIn.error}>
      <TextField
        label={t('signin.name')}
        value={name}
        onChange={(e) => setName(e.target.value)}
        autoComplete="username"
        required
        maxLength={80}
      />
      <TextField
        label={t('signin.password')}
        type="password"
        value={password}
        onChange={(e) => setPassword(e.target.value)}
        autoComplete="current-password"
        required
      />
      <Button type="submit" tone="air" disabled={signIn.isPending}>
        {t('signin.go')}
      </Button>
    </Form>
  )
}

function CodeForm() {
  const { t } = useTranslation()
  const [code, setCode] = useState('')
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const redeem = useSigningIn((body: { code: string; name: string; password: string }) =>
    need(api.POST('/api/session/code', { body })),
  )
  return (
    <Form
      title={t('signin.codeTitle')}
      onSend={() => redeem.mutate({ code, name, password })}
      error={redeem.error}
    >
      <TextField
        label={t('signin.code')}
        value={code}
        onChange={(e) => setCode(e.target.value)}
        autoComplete="one-time-code"
        required
        maxLength={60}
      />
      <TextField
        label={t('signin.firstName')}
        value={name}
        onChange={(e) => setName(e.target.value)}
        autoComplete="username"
        maxLength={80}
      />
      <TextField
        label={t('signin.newPassword')}
        type="password"
        value={password}
        onChange={(e) => setPassword(e.target.value)}
        autoComplete="new-password"
        hint={t('signin.passwordHint')}
        required
      />
      <Button type="submit" tone="air" disabled={redeem.isPending}>
        {t('signin.setPassword')}
      </Button>
    </Form>
  )
}

/** On a shared tablet: whoever set a PIN here changes to themselves by it. */
function CabPeople() {
  const { t } = useTranslation()
  const { data = [] } = useQuery({ queryKey: ['cab'], queryFn: () => need(api.GET('/api/session/cab')) })
  const [chosen, setChosen] = useState<Person>()
  const [pin, setPin] = useState('')
  const change = useSigningIn((body: { person_id: string; pin: string }) =>
    need(api.POST('/api/session/switch', { body })),
  )
  if (data.length === 0) return null
  return (
    <section className="grid gap-3 border-t border-line pt-4">
      <h2 className="text-lead">{t('signin.cab')}</h2>
      <div className="flex flex-wrap gap-2">
        {data.map((person) => (
          <Button
            key={person.id}
            tone={chosen?.id === person.id ? 'air' : 'plain'}
            onClick={() => setChosen(person)}
          >
            {person.name}
          </Button>
        ))}
      </div>
      {chosen && (
        <form
          onSubmit={(event) => {
            event.preventDefault()
            change.mutate({ person_id: chosen.id, pin })
            setPin('')
          }}
          className="flex items-end gap-3"
        >
          <TextField
            label={t('signin.pin')}
            type="password"
            inputMode="numeric"
            value={pin}
            onChange={(e) => setPin(e.target.value)}
            autoFocus
            required
          />
          <Button type="submit" tone="air">
            {t('signin.change')}
          </Button>
        </form>
      )}
      <FormError error={change.error} />
    </section>
  )
}

const order = ['manager', 'trainer', 'workshop', 'driver'] as const

function DemoPeople({ people }: { people: Person[] }) {
  const { t } = useTranslation()
  const signIn = useSigningIn((person_id: string) =>
    need(api.POST('/api/session/demo', { body: { person_id } })),
  )
  return (
    <section className="grid content-start gap-5 border-ink md:border-l-2 md:pl-10">
      <div>
        <h2 className="text-title">{t('signin.demoTitle')}</h2>
        <p className="text-soft">{t('signin.demoHint')}</p>
      </div>
      {order.map((role) => (
        <div key={role}>
          <h3 className="mb-1 text-note text-soft">{t(`role.${role}`)}</h3>
          <div className="flex flex-wrap gap-2">
            {people
              .filter((person) => person.role === role)
              .map((person) => (
                <Button key={person.id} disabled={signIn.isPending} onClick={() => signIn.mutate(person.id)}>
                  {person.name}
                </Button>
              ))}
          </div>
        </div>
      ))}
      <FormError error={signIn.error} />
    </section>
  )
}
