import { useEffect, useState, type Ref } from 'react'

interface Size {
  width: number
  height: number
}

/** The pixel size of an element, as it is laid out now, however late it comes; it takes the reference. */
export function useSize(): Size & { box: Ref<HTMLDivElement> } {
  const [element, box] = useState<HTMLDivElement | null>(null)
  const [size, setSize] = useState<Size>({ width: 0, height: 0 })
  useEffect(() => {
    if (!element) return
    const observer = new ResizeObserver(([entry]) => {
      if (entry) setSize({ width: entry.contentRect.width, height: entry.contentRect.height })
    })
    observer.observe(element)
    return () => observer.disconnect()
  }, [element])
  return { ...size, box }
}
