import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useState, type ReactNode, Suspense } from 'react'
import { useTranslation } from '../shared/i18n/useTranslation'
import { usePreferences } from '../shared/preferences'
import { csrfWord, onSignedOut } from '../shared/api'
import { SignIn } from './screens'
import { forgetSessionKey, saveSessionKey } from '../device'
import { useRecorder } from '../run'
import { Notice } from '../shared/ui'
import {
  fetchMe,
  keepMe,
  lastMe,
  leave,
  NOBODY,
  SessionContext,
  stay,
  type Me,
} from '../shared/session/session'

/** A server that could not be asked who is here is asked again so often. */
const ASK_AGAIN_MS = 3000

/** Shows what is inside only to somebody signed in. A session that ends is asked for on top: nothing typed is lost. */
export function SessionGate({ children }: { children: ReactNode }) {
  const queries = useQueryClient()
  const device = useRecorder()
  const { change } = usePreferences()
  const [lost, setLost] = useState(false)
  const [asking, setAsking] = useState(false)
  const {
    data: told,
    error,
    refetch,
  } = useQuery({
    queryKey: ['session'],
    queryFn: fetchMe,
    staleTime: Infinity,
    placeholderData: lastMe,
    refetchOnReconnect: 'always',
    refetchInterval: ({ state }) => (state.status === 'error' ? ASK_AGAIN_MS : false),
  })
  // without contact whoever was here last goes on: what is marked is kept on the device
  const last = useMemo(() => (error ? lastMe() : undefined), [error])
  const me = told ?? last
  const wake = useCallback(() => {
    if ('recorder' in device) device.recorder.wake()
  }, [device])
  const signedIn = me?.person?.id
  const word = me?.csrf
  // what waits on this device is sent once it is known who is here
  useEffect(() => {
    if (!signedIn || !word) return
    void saveSessionKey(signedIn, word)
    wake()
  }, [signedIn, word, wake])
  useEffect(
    () =>
      onSignedOut(() => {
        const before = csrfWord()
        fetchMe().then(
          (now) => {
            if (!now.person) setLost(true)
            else if (csrfWord() !== before) {
              // another tab signed in anew: this page only had an old word
              queries.setQueryData(['session'], now)
              wake()
            }
          },
          () => undefined, // no contact: asked again with the next answer
        )
      }),
    [queries, wake],
  )

  const session = useMemo(() => {
    const begin = (next: Me) => {
      stay()
      queries.setQueryData(['session'], keepMe(next))
      setLost(false)
      setAsking(false)
      if (next.person) change({ language: next.person.language, unit: next.person.pressure_unit })
      void queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'session' })
      wake()
    }
    const signOut = async (everywhere = false) => {
      await queries.cancelQueries() // what is still on its way would come back as refused
      // here at once, whether there is contact or not: the next in the cab must see nothing of this one's
      leave(everywhere)
      await forgetSessionKey()
      queries.setQueryData(['session'], NOBODY)
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'session' })
      if ('recorder' in device) await device.recorder.forget()
      await fetchMe().then(
        (now) => queries.setQueryData(['session'], now),
        () => undefined, // no contact: sent with the next question who is here
      )
    }
    return me && { me, begin, signOut }
  }, [me, queries, change, wake, device])

  if (!session) {
    return (
      <main className="px-6">
        <Notice error={error} onRetry={() => void refetch()} />
      </main>
    )
  }
  return (
    <SessionContext value={session}>
      {session.me.person ? (
        children
      ) : (
        <Suspense>
          <SignIn />
        </Suspense>
      )}
      {session.me.person && lost && !asking && <LostBar onSignIn={() => setAsking(true)} />}
      {session.me.person && lost && asking && (
        <div role="dialog" aria-modal className="fixed inset-0 z-50 overflow-y-auto bg-paper">
          <Suspense>
            <SignIn again={session.me.person.name} />
          </Suspense>
        </div>
      )}
    </SessionContext>
  )
}

/** Says that the session has ended without covering anything: a foot may be on the pedal. */
function LostBar({ onSignIn }: { onSignIn: () => void }) {
  const { t } = useTranslation()
  return (
    <div
      role="status"
      className="fixed inset-x-0 top-0 z-40 flex flex-wrap items-center gap-4 border-b-2 border-ink bg-amber px-4 py-1 text-[#14191a]"
    >
      <b>{t('signin.lost')}</b>
      <button
        type="button"
        onClick={onSignIn}
        className="min-h-touch font-semibold underline underline-offset-4"
      >
        {t('signin.go')}
      </button>
    </div>
  )
}
