import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { api, need } from '../../shared/api'
import type { Edition, Table } from './drafts'

export interface Draft {
  table: Table
  /** Change it; it is kept as it is changed, and what cannot be kept says why. */
  change: (table: Table) => void
  undo?: () => void
  problem: string
  kept: boolean
}

const KEEP_AFTER_MS = 250
const MOST_STEPS = 40

/** A draft that keeps itself: every change that can be kept is, one after the other. */
export function useDraft(edition: Edition): Draft {
  const queries = useQueryClient()
  const [table, setTable] = useState<Table>(edition.written)
  const [before, setBefore] = useState<Table[]>([])
  const revision = useRef(edition.revision)
  const latest = useRef(table)
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined)
  useEffect(() => () => clearTimeout(timer.current), [])
  const save = useMutation({
    scope: { id: `draft-${edition.kind}-${edition.name}` },
    mutationFn: (next: Table) =>
      need(api.PUT('/api/rules/draft', { body: { table: next, revision: revision.current } })),
    onSuccess: (kept) => {
      revision.current = kept.revision
      queries.setQueryData<Edition[]>(['editions'], (all) =>
        all?.map((one) =>
          one.kind === kept.kind && one.name === kept.name && one.version === kept.version ? kept : one,
        ),
      )
      void queries.invalidateQueries({ queryKey: ['compare'] })
    },
  })
  const keep = (next: Table) => {
    latest.current = next
    setTable(next)
    clearTimeout(timer.current)
    timer.current = setTimeout(() => save.mutate(next), KEEP_AFTER_MS)
  }
  const last = before.at(-1)
  return {
    table,
    change: (next) => {
      const old = latest.current
      setBefore((all) => [...all.slice(-MOST_STEPS), old])
      keep(next)
    },
    ...(last && {
      undo: () => {
        setBefore((all) => all.slice(0, -1))
        keep(last)
      },
    }),
    problem: save.error?.message ?? '',
    kept: save.isSuccess,
  }
}
