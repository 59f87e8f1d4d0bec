import { fireEvent, render, screen, within } from '@testing-library/react'
import { expect, test, vi } from 'vitest'
import { now, type LiveRun, type DeviceMark } from '../../device'
import { stateOf } from '../../run'
import { Frame } from '../../testing/Frame'
import { script } from '../../testing/script'
import { MarkedTwice } from './MarkedTwice'
import { MarksDialog } from './MarksDialog'
import type { Verdict } from './phase'
import { playTo, present, valued } from './played.testing'

function open(events: DeviceMark[], part: 'lead' | 'watch' = 'lead', verdicts: Verdict[] = []) {
  const onMark = vi.fn()
  const onCorrect = vi.fn()
  const onClose = vi.fn()
  const live = { run: { id: 'r', part, begin: {} } } as unknown as LiveRun
  const state = stateOf(script, events)
  render(
    <Frame>
      <MarksDialog open {...{ live, state, verdicts, onMark, onCorrect, onClose }} />
    </Frame>,
  )
  return { onMark, onCorrect, onClose }
}

const full = () => valued(playTo(present('release')), 125)
const press = (name: string | RegExp) => fireEvent.click(screen.getByRole('button', { name }))

test('the latest mark stands first, with its numbers; closing opens no keyboard', () => {
  const { onClose } = open(full())
  const [first] = screen.getAllByRole('listitem')
  expect(first?.textContent).toContain('governor cut-out125 · 125 psi')
  expect(document.activeElement?.tagName).not.toBe('INPUT')
  press('Close')
  expect(onClose).toHaveBeenCalledOnce()
})

test('a number is corrected from here, a note added', () => {
  const { onCorrect, onMark } = open(full())
  press('Correct')
  expect(onCorrect).toHaveBeenCalledWith(expect.objectContaining({ point: 'cut_out' }))
  fireEvent.change(screen.getByRole('textbox'), { target: { value: 'belt squeals' } })
  press('Add note')
  expect(onMark).toHaveBeenCalledWith([{ type: 'note', text: 'belt squeals' }])
})

test.each([
  [[], false],
  [[{ stage: 'cut_out', attempt: 1 }], true],
])('what is judged already is not taken back without a word', (verdicts, needsWhy) => {
  const events = full()
  const { onMark } = open(events, 'lead', verdicts as unknown as Verdict[])
  press(/governor cut-out/)
  const dialog = within(screen.getByRole('dialog'))
  const take = dialog.getByRole<HTMLButtonElement>('button', { name: 'Withdraw' })
  expect(take.disabled).toBe(needsWhy)
  fireEvent.change(dialog.getByRole('textbox'), { target: { value: 'misread' } })
  fireEvent.click(take)
  expect(onMark).toHaveBeenCalledWith([
    { type: 'withdrawn', event: events.find(({ type }) => type === 'reading')?.id, why: 'misread' },
  ])
})

test('a watcher may take back and correct only what is their own', () => {
  const [cutOut] = full().filter(({ type }) => type === 'reading')
  const others = full().map((event) => ({ ...event, device: 'another' }))
  open(others, 'watch')
  expect(screen.queryByRole('button', { name: /Correct|governor cut-out/ })).toBeNull()
  expect(screen.getAllByRole('listitem').length).toBeGreaterThan(3)
  expect(cutOut).toBeDefined()
})

test.each([
  [false, ['Use mine', "Use Bram Osei's"], 'theirs'],
  [true, ["Use Bram Osei's"], 'mine'],
])('of two marks one tap keeps one; a watcher (%s) gives up their own only', (watches, offers, gone) => {
  const onMark = vi.fn()
  const [mark] = full().filter(({ type }) => type === 'reading')
  const mine = { ...mark, id: 'mine', device: now().device } as DeviceMark
  const theirs = { ...mark, id: 'theirs', device: 'another', by: 'Bram Osei' } as DeviceMark
  render(
    <Frame>
      <MarkedTwice duplicates={{ first: theirs, second: mine, apartS: 0.4 }} {...{ watches, onMark }} />
    </Frame>,
  )
  const buttons = screen.getAllByRole('button')
  expect(buttons.map(({ textContent }) => textContent)).toEqual(offers)
  fireEvent.click(buttons[0] as HTMLElement)
  expect(onMark).toHaveBeenCalledWith([expect.objectContaining({ type: 'withdrawn', event: gone })])
})
