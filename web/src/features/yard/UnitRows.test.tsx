import { render, screen } from '@testing-library/react'
import { expect, test, vi } from 'vitest'
import { Frame } from '../../testing/Frame'
import { UnitRows } from './UnitRows'
import type { Unit, YardUnit } from './yard'

const units = (count: number, stays: boolean): YardUnit[] =>
  Array.from({ length: count }, (_, n) => ({
    unit: { id: `${stays} ${n}`, name: `U-${n}`, kind: 'bus', trailers: [], latest: null } as unknown as Unit,
    ...{ stays, failed: [], words: '' },
  }))
const shown = (staying: YardUnit[], drivable: YardUnit[]) =>
  render(
    <Frame>
      <UnitRows {...{ staying, drivable }} now={0} />
    </Frame>,
  )

test('a small fleet is drawn whole, with the gate between those that stay and those that may leave', () => {
  shown(units(2, true), units(3, false))
  expect(screen.getAllByRole('link', { name: /^Test U-/ })).toHaveLength(5)
  expect(screen.getAllByRole('heading').map(({ textContent }) => textContent)).toEqual([
    'Do not drive',
    'May be driven',
  ])
})

test('of six thousand units only those in sight are drawn, over the whole height of the list', () => {
  vi.stubGlobal('scrollTo', () => undefined)
  const { container } = shown(units(300, true), units(5700, false))
  expect(screen.queryAllByRole('link', { name: /^Test U-/ }).length).toBeLessThan(80)
  const height = parseFloat(container.querySelector('ol')?.style.height ?? '0')
  expect(height).toBeGreaterThan(6000 * 40)
})
