import type i18next from 'i18next'
// eslint-disable-next-line no-restricted-imports -- here it gets its types
import { useTranslation as useUntyped } from 'react-i18next'
import type { Words } from './en'

/** A key as it is asked for: the library adds the plural's ending. */
type Stem<K extends string> = K extends `${infer S}_${'one' | 'many' | 'other'}` ? S : K
type Leaves<T, Path extends string = ''> = {
  [K in keyof T & string]: T[K] extends string ? `${Path}${Stem<K>}` : Leaves<T[K], `${Path}${K}.`>
}[keyof T & string]

export type Key = Leaves<Words>
export type Translate = (key: Key | Key[], values?: Record<string, unknown>) => string

/** The words of the interface by their keys. The library's own typing of keys costs the compiler most of a minute. */
export const useTranslation = useUntyped as unknown as () => { t: Translate; i18n: typeof i18next }
