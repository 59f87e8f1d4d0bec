import { gzipSync } from 'node:zlib'
import type { Plugin, Rollup } from 'vite'

/** What a phone must fetch before the test screen stands: its scripts and one language's words [bytes, gzipped]. */
const MAX_FOR_A_TEST = 170_000
const SCREENS = /\/src\/features\/(\w+)\/index\.ts$/

/** Prints what each screen's first load weighs, and fails where the test screen's is too heavy. */
export function firstLoads(): Plugin {
  return {
    name: 'first-loads',
    generateBundle(_options, bundle) {
      const chunks = Object.values(bundle).filter((one): one is Rollup.OutputChunk => one.type === 'chunk')
      const byName = new Map(chunks.map((chunk) => [chunk.fileName, chunk]))
      const weigh = (code: string) => gzipSync(code, { level: 9 }).length
      const reach = (chunk: Rollup.OutputChunk, seen: Set<Rollup.OutputChunk>) => {
        if (seen.has(chunk)) return seen
        seen.add(chunk)
        for (const name of chunk.imports) {
          const next = byName.get(name)
          if (next) reach(next, seen)
        }
        return seen
      }
      const entry = chunks.find(({ isEntry }) => isEntry)
      const words = chunks.find(({ facadeModuleId }) => facadeModuleId?.endsWith('/shared/i18n/en.ts'))
      if (!entry || !words) return
      const loads = chunks.flatMap((chunk) => {
        const screen = SCREENS.exec(chunk.facadeModuleId ?? '')?.[1]
        if (!screen) return []
        const all = reach(chunk, reach(words, reach(entry, new Set())))
        return [
          { screen, own: weigh(chunk.code), all: [...all].reduce((sum, { code }) => sum + weigh(code), 0) },
        ]
      })
      for (const { screen, own, all } of loads.sort((a, b) => b.all - a.all)) {
        const kilo = (bytes: number) => `${(bytes / 1000).toFixed(1)} kB`.padStart(9)
        console.log(`first load of ${screen.padEnd(8)}${kilo(all)} gzipped, of it its own${kilo(own)}`)
      }
      const test = loads.find(({ screen }) => screen === 'test')
      if (!test || test.all > MAX_FOR_A_TEST)
        this.error(
          `the test screen's first load is ${test?.all ?? 'not known'}, more than ${MAX_FOR_A_TEST} bytes`,
        )
    },
  }
}
