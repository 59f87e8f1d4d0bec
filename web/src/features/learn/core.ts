/** What the core on this device knows of lessons: without contact as well. */

import { queryOptions } from '@tanstack/react-query'
import { askCore } from '../../device'
import { api, need, type Schema } from '../../shared/api'

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
}

export interface Around {
  lessons: Lesson[]
  sheet: { part: string; title: string; options: { id: string; title: string }[] }[]
}

export const lessonsQuery = (language: string) =>
  queryOptions({
    queryKey: ['lessons', language],
    networkMode: 'always',
    staleTime: Infinity,
    retry: false,
    queryFn: () => askCore('practice_lessons', [language]) as Promise<Around>,
  })

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
export const lessonChoice = (lesson: string, drive: number, again: boolean) =>
  askCore('practice_lesson', [
    JSON.stringify({ id: lesson }),
    String(drive),
    JSON.stringify(again),
  ]) as Promise<Record<string, unknown>>
