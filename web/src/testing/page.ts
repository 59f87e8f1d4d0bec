import { afterEach } from 'vitest'
import { cleanup } from '@testing-library/react'

/** jsdom lays nothing out: every element is as large as a report's column. */
class Sized implements ResizeObserver {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}
Object.defineProperties(HTMLElement.prototype, {
  offsetWidth: { get: () => 340 },
  offsetHeight: { get: () => 640 },
})
window.ResizeObserver = Sized

afterEach(cleanup)
