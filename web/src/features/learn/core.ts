/** What the core on this device knows of lessons: without contact as well. */

import { queryOptions, useQuery } from '@tanstack/react-query'
import { askCore } from '../../device'
import { api, need, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'

export type OwnLesson = Schema['OwnLessonOut']

/** A lesson as its file holds it: what the editor changes; the rest is carried along. */
export interface LessonTable {
  lesson: { id: string; after?: string | undefined } & Record<string, unknown>
  title: { en: string; es: string }
  goal: { en: string; es: string }
  vehicle: { kind: string; gearbox?: 'manual' | 'automatic' } & Record<string, unknown>
  drives: ({ kind?: string; faults?: string[]; pool?: string | undefined } & Record<string, unknown>)[]
  [rest: string]: unknown
}

export interface Lesson {
  id: string
  number: number
  after: string | null
  mode: 'led' | 'memory' | 'exam' | 'diagnosis' | 'free'
  minutes: number
  rules: string
  title: string
  goal: string
  kind: Schema['UnitOut']['kind']
  gearbox: 'manual' | 'automatic'
  pressure: 'psi' | 'kpa' | 'bar' | null
  drives: { kind: Schema['UnitOut']['kind']; mode: Lesson['mode'] }[]
  mistakes: { code: string; title: string; advice: string }[]
  table: LessonTable
}

export interface Around {
  lessons: Lesson[]
  examiner: Record<string, string>
  sheet: { part: string; title: string; options: { id: string; title: string }[] }[]
}

const ownLessonsQuery = queryOptions({
  queryKey: ['own-lessons'],
  queryFn: ({ signal }) => need(api.GET('/api/learning/lessons', { signal })),
})

export const invitationsQuery = queryOptions({
  queryKey: ['invitations'],
  queryFn: ({ signal }) => need(api.GET('/api/learning/invitations', { signal })),
})

/** The ladder: the built-in lessons and, as far as this device knows them, the fleet's own. */
export function useLessons() {
  const { language } = useFigures()
  const own = useQuery(ownLessonsQuery).data
  const known = useQuery({
    queryKey: ['lessons', language, own?.map(({ id, version }) => [id, version])],
    networkMode: 'always',
    staleTime: Infinity,
    retry: false,
    placeholderData: (before: Around | undefined) => before,
    queryFn: () =>
      askCore('practice_lessons', [
        language,
        JSON.stringify(own?.map(({ table }) => table) ?? []),
      ]) as Promise<Around>,
  })
  return { ...known, own }
}

export const progressQuery = (personId: string) =>
  queryOptions({
    queryKey: ['progress', personId],
    enabled: personId !== '',
    queryFn: ({ signal }) =>
      need(
        api.GET('/api/learning/people/{person_id}', { signal, params: { path: { person_id: personId } } }),
      ),
  })

/** What sets up a drive of a lesson. */
export const lessonChoice = (lesson: Lesson, own: boolean, drive: number, again: boolean, order: string) =>
  askCore('practice_lesson', [
    JSON.stringify({ id: lesson.id, ...(own && { table: lesson.table }) }),
    String(drive),
    JSON.stringify(again),
    order,
  ]) as Promise<Record<string, unknown>>
