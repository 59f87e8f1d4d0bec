import { expect, test } from 'vitest'
import { NumberError, numberOf, numbersOf, parseNumber } from './numbers'

const no = () => 'no number'

test.each([
  ['8,5', 8.5],
  [' 125 ', 125],
  ['−3.25', -3.25],
  ['125 psi', undefined],
  ['1,250.5', undefined],
  ['1e9', undefined],
  ['NaN', undefined],
  ['12.', undefined],
])('%j is %j', (text, number) => expect(parseNumber(text)).toBe(number))

test('an empty field is unknown, and one that is no number is refused and never taken for unknown', () => {
  expect(numberOf('  ', no)).toBeNull()
  expect(() => numberOf('125 psi', no)).toThrow(NumberError)
  expect(numbersOf('24 24, 36;8,5', no)).toEqual([24, 24, 36, 8.5])
  expect(() => numbersOf('24 in', no)).toThrow('no number')
})
