import 'fake-indexeddb/auto'
import { afterEach } from 'vitest'
import { cleanup } from '@testing-library/react'
import { startWords } from '../i18n'

startWords('en')
afterEach(cleanup)
