import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useMemo, useState, type ReactNode } from 'react'
import { usePreferences } from '../app/preferences'
import { api, need, onSignedOut } from '../api'
import { SignIn } from '../features/signin'
import { useRecorder } from '../live'
import { Notice } from '../ui'
import { fetchMe, keepMe, lastMe, SessionContext, type Me } from './session'

/** Shows what is inside only to somebody signed in. A session that ends is asked for on top: nothing typed is lost. */
export function SessionGate({ children }: { children: ReactNode }) {
  const queries = useQueryClient()
  const device = useRecorder()
  const { change } = usePreferences()
  const [lost, setLost] = useState(false)
  const {
    data: me,
    error,
    refetch,
  } = useQuery({
    queryKey: ['session'],
    queryFn: fetchMe,
    staleTime: Infinity,
    placeholderData: lastMe,
  })
  useEffect(() => onSignedOut(() => setLost(true)), [])

  const session = useMemo(() => {
    const begin = (next: Me) => {
      queries.setQueryData(['session'], keepMe(next))
      setLost(false)
      if (next.person) change({ language: next.person.language, unit: next.person.pressure_unit })
      void queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'session' })
      if ('recorder' in device) device.recorder.wake()
    }
    const signOut = async (everywhere = false) => {
      await need(
        everywhere ? api.POST('/api/session/sign-out-everywhere') : api.POST('/api/session/sign-out'),
      )
      queries.setQueryData(['session'], await fetchMe())
      queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'session' })
    }
    return me && { me, begin, signOut }
  }, [me, queries, change, device])

  if (!session) {
    return (
      <main className="px-6">
        <Notice error={error} onRetry={() => void refetch()} />
      </main>
    )
  }
  return (
    <SessionContext value={session}>
      {session.me.person ? children : <SignIn />}
      {session.me.person && lost && (
        <div role="dialog" aria-modal className="fixed inset-0 z-50 overflow-y-auto bg-paper">
          <SignIn again={session.me.person.name} />
        </div>
      )}
    </SessionContext>
  )
}
