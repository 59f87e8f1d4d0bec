import { render, screen } from '@testing-library/react'
import { expect, test } from 'vitest'
import { Frame } from '../../testing/Frame'
import { marked } from '../../testing/script'
import { Marks } from './Marks'

test('every mark stays in sight: a number shows as entered, what was taken back is crossed out', () => {
  const start = marked('reading', { stage: 'leak_applied', point: 'start', at_s: 65 })
  const wrong = marked('pedal', { state: 'released', at_s: 70 })
  const events = [
    marked('confirmed', { item: 'wheels_chocked', at_s: 0 }),
    start,
    marked('valued', { event: start.id, primary_kpa: 690, secondary_kpa: 695, at_s: 66 }),
    wrong,
    marked('withdrawn', { event: wrong.id, at_s: 71 }),
  ]
  render(
    <Frame unit="psi">
      <Marks events={events} />
    </Frame>,
  )
  const rows = screen.getAllByRole('row')
  expect(rows.map((row) => row.textContent)).toEqual([
    '0:00chocks in',
    '1:05start, Applied leak test690 · 695 kPa',
    '1:10pedal up',
  ])
  expect(rows.map((row) => row.className.includes('line-through'))).toEqual([false, false, true])
})
