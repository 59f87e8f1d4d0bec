import { useSize as useSizeOf } from '@radix-ui/react-use-size'
import { useState, type Ref } from 'react'

const NOTHING = { width: 0, height: 0 }

/** The pixel size of an element, as it is laid out now, however late it comes; it takes the reference. */
export function useSize(): { width: number; height: number; box: Ref<HTMLDivElement> } {
  const [element, box] = useState<HTMLDivElement | null>(null)
  return { ...(useSizeOf(element) ?? NOTHING), box }
}
