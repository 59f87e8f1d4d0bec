import { render, screen } from '@testing-library/react'
import { expect, test, vi } from 'vitest'
import { Frame } from '../../testing/Frame'
import { AboutPage } from './AboutPage'

test('what ships is listed with its license, and what cannot be fetched is said', async () => {
  const ships = [{ name: 'idb', version: '8.0.4', license: 'ISC', text: 'Copyright (c) 2016' }]
  const fetched = vi.spyOn(globalThis, 'fetch')
  fetched.mockImplementation((input) =>
    Promise.resolve(
      Response.json(input === '/notices.json' ? ships : { version: '1.2.3', owner: '', demo: true }),
    ),
  )
  const { unmount } = render(
    <Frame>
      <AboutPage />
    </Frame>,
  )
  expect(await screen.findByText('idb')).toBeTruthy()
  expect(screen.getByText('ISC')).toBeTruthy()
  expect(screen.getByText('Copyright (c) 2016')).toBeTruthy()
  unmount()
  fetched.mockImplementation(() => Promise.resolve(new Response('', { status: 404 })))
  render(
    <Frame>
      <AboutPage />
    </Frame>,
  )
  expect(await screen.findByRole('alert', {}, { timeout: 10_000 })).toBeTruthy()
})
