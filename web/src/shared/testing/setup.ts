import 'fake-indexeddb/auto'
import { afterEach } from 'vitest'
import { cleanup } from '@testing-library/react'
import { startWords } from '../i18n'

startWords('en')

/** jsdom lays nothing out: every element is as large as a sheet's column. */
class Sized implements ResizeObserver {
  constructor(private readonly told: ResizeObserverCallback) {}
  observe(): void {
    this.told([{ contentRect: { width: 340, height: 640 } } as ResizeObserverEntry], this)
  }
  unobserve(): void {}
  disconnect(): void {}
}
window.ResizeObserver = Sized

afterEach(cleanup)
