import { fireEvent, render, screen } from '@testing-library/react'
import { beforeEach, expect, test, vi } from 'vitest'
import { RecorderContext, type RecorderState } from '../../run'
import type { Schema } from '../../shared/api'
import { NOBODY, SessionContext, type Me } from '../../shared/session'
import { Frame } from '../../testing/Frame'
import { DefectCard } from './DefectCard'
import { HoldCard, LiftedHold } from './HoldCard'

type Hold = Schema['HoldOut']
type Defect = Schema['DefectOut']

const done = vi.fn(() => Promise.resolve())
const recorder = {
  act: done,
  acts: () => Promise.resolve([]),
  subscribe: () => () => undefined,
  settled: 0,
}
const ROLES: Record<string, Pick<Me, 'acts' | 'milder'>> = {
  driver: {
    acts: ['hold_placed', 'defect_seen', 'defect_rated', 'acknowledged', 'trip_over'],
    milder: false,
  },
  workshop: { acts: ['defect_taken', 'repaired', 'no_repair', 'defect_rated'], milder: true },
  manager: { acts: ['hold_released', 'defect_taken', 'repaired', 'no_repair', 'defect_rated'], milder: true },
}

beforeEach(() => void done.mockClear())

function shown(what: React.ReactNode, role: keyof typeof ROLES) {
  const person = { id: 'p', name: 'Jory Pask', role } as unknown as Me['person']
  const me: Me = { ...NOBODY, person, ...ROLES[role] }
  const session = { me, begin: () => undefined, signOut: () => Promise.resolve() }
  render(
    <SessionContext value={session}>
      <RecorderContext value={{ recorder } as unknown as RecorderState}>
        <Frame>{what}</Frame>
      </RecorderContext>
    </SessionContext>,
  )
}
const buttons = () => screen.queryAllByRole('button').map(({ textContent }) => textContent)

const hold = (more: Partial<Hold> = {}): Hold => ({
  ...{ id: 'h', stage: 'leak_applied', opened_at: '2026-11-20T05:00:00Z', by: 'Kit Varga', text: 'lost 6' },
  parts: [
    { kind: 'unit', id: 'u', name: 'MV-12', held: true },
    { kind: 'trailer', id: 't', name: 'T-04', held: true },
  ],
  ...{ run_id: 'r', repaired_at: null, from_before: false, tested_with: 'u' },
  ways: [
    { way: 'repair', text: 'Repair it.' },
    { way: 'recheck', text: 'Pass it.' },
  ],
  ...{ lifted_at: null, lifted_how: null, lifted_run_id: null, lifted_by: '', lifted_reason: '' },
  ...more,
})
const defect = (more: Partial<Defect> = {}): Defect => ({
  ...{ id: 'd', part_kind: 'unit', part_id: 'u', part: 'MV-12', text: 'Washer: dry', by: 'Ines Aldous' },
  ...{
    seen_at: '2026-11-20T05:00:00Z',
    consequence: 'finish',
    means: 'This trip',
    state: 'open',
    state_text: 'open',
  },
  ...{
    taken_by: '',
    certified_at: null,
    certified_by: '',
    did: '',
    recheck: [],
    recheck_item: false,
    closed: false,
    unread: false,
  },
  ...{ run_id: null, photos: [] },
  ...more,
})

test.each([
  ['driver', []],
  ['workshop', ['Certify repair']],
  ['manager', ['Certify repair', 'Release hold']],
] as const)('a hold offers a %s what they may do', (role, offered) => {
  shown(<HoldCard hold={hold()} defects={[]} />, role)
  expect(buttons()).toEqual(offered)
  expect(screen.getByRole('link', { name: 'Retest' }).getAttribute('href')).toBe('/test/new/u')
  expect(screen.getByRole('heading').textContent).toContain('MV-12 + T-04')
  expect(screen.getAllByRole('listitem').map(({ textContent }) => textContent)).toEqual([
    'Repair it.',
    'Pass it.',
  ])
})

test('a certified repair is not asked for twice, and one by hand is only released', () => {
  shown(<HoldCard hold={hold({ repaired_at: '2026-11-21T05:00:00Z' })} defects={[]} />, 'manager')
  expect(buttons()).toEqual(['Release hold'])
})

test('a hold that somebody placed has no test to pass', () => {
  shown(<HoldCard hold={hold({ stage: null, run_id: null, tested_with: null })} defects={[]} />, 'manager')
  expect(buttons()).toEqual(['Release hold'])
  expect(screen.queryByRole('link', { name: 'Retest' })).toBeNull()
})

test('a repair is certified with what was done and what it answers', async () => {
  const other = defect({ id: 'd2', text: 'Mirror cracked' })
  shown(<HoldCard hold={hold()} defects={[other, defect({ id: 'd3', part_id: 'elsewhere' })]} />, 'workshop')
  fireEvent.click(screen.getByText('Certify repair'))
  const certify = screen.getByText<HTMLButtonElement>('I certify this repair')
  expect(certify.disabled).toBe(true)
  fireEvent.change(screen.getByLabelText('Work done'), { target: { value: ' new seals ' } })
  fireEvent.change(screen.getByLabelText('Odometer or hours'), { target: { value: '412,5' } })
  expect(screen.getAllByRole('checkbox')).toHaveLength(2)
  fireEvent.click(screen.getByLabelText('Mirror cracked'))
  fireEvent.click(certify)
  await vi.waitFor(() => expect(done).toHaveBeenCalledOnce())
  expect(done.mock.calls[0]).toMatchObject([
    {
      type: 'repaired',
      about: 'MV-12',
      body: { did: 'new seals', odometer: 412.5, holds: ['h'], defects: ['d2'] },
    },
  ])
})

test('an odometer that is no number is said, and nothing is certified without it', () => {
  shown(<HoldCard hold={hold()} defects={[]} />, 'workshop')
  fireEvent.click(screen.getByText('Certify repair'))
  fireEvent.change(screen.getByLabelText('Work done'), { target: { value: 'seals' } })
  fireEvent.change(screen.getByLabelText('Odometer or hours'), { target: { value: '412k' } })
  fireEvent.click(screen.getByText('I certify this repair'))
  expect(screen.getByRole('alert').textContent).toContain('must be a number')
  expect(done).not.toHaveBeenCalled()
})

test('a release keeps its reason, and is not given without one', async () => {
  shown(<HoldCard hold={hold()} defects={[]} />, 'manager')
  fireEvent.click(screen.getByText('Release hold'))
  const release = screen.getByRole<HTMLButtonElement>('button', { name: 'Release hold' })
  expect(release.disabled).toBe(true)
  fireEvent.change(screen.getByRole('textbox'), { target: { value: 'driven' } })
  fireEvent.click(release)
  await vi.waitFor(() => expect(done).toHaveBeenCalledOnce())
  expect(done.mock.calls[0]).toMatchObject([{ type: 'hold_released', body: { hold: 'h', reason: 'driven' } }])
})

test('how a hold ended is told in a line', () => {
  const released = { lifted_how: 'release', lifted_by: 'Odile Ferrow', lifted_reason: 'a bag' } as const
  shown(<LiftedHold hold={hold({ lifted_at: '2026-11-21T05:00:00Z', ...released })} />, 'driver')
  expect(screen.getByRole('listitem').textContent).toMatch(/lost 6 .*released .* by Odile Ferrow: a bag/)
})

test.each([
  ['driver', ['Set severity', 'End trip']],
  ['workshop', ['Start work', 'Certify repair', 'No repair needed', 'Set severity', 'End trip']],
] as const)('a defect offers a %s what they may do', (role, offered) => {
  shown(<DefectCard defect={defect()} beside={[]} />, role)
  expect(buttons()).toEqual(offered)
})

test('a certified defect only asks for what must pass', () => {
  const certified = {
    certified_at: '2026-11-21T05:00:00Z',
    certified_by: 'Wanda Keel',
    state: 'repaired',
  } as const
  shown(<DefectCard defect={defect({ ...certified, recheck: ['leak_applied'] })} beside={[]} />, 'workshop')
  expect(buttons()).toEqual([])
  expect(screen.getByRole('link', { name: 'Retest' })).toBeTruthy()
  expect(screen.getByText(/certified by Wanda Keel/)).toBeTruthy()
})

test.each([
  ['driver', ['Do not drive', 'Finish this trip, then repair']],
  ['workshop', ['Do not drive', 'Finish this trip, then repair', 'Note only']],
] as const)('a %s may rate it so', (role, choices) => {
  shown(<DefectCard defect={defect()} beside={[]} />, role)
  fireEvent.click(screen.getByText('Set severity'))
  expect(screen.getAllByRole('radio').map(({ textContent }) => textContent)).toEqual(choices)
})
