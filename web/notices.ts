import { existsSync, readdirSync, readFileSync } from 'node:fs'
import type { Plugin, Rollup } from 'vite'

/** A package that ships inside the application, with its license as its authors wrote it. */
interface Notice {
  name: string
  version: string
  license: string
  text: string
}

/** What ships and is no module of a page's script: interpreter, typeface, base of the styles, loader of modules. */
const FILES = ['pyodide', '@fontsource-variable/archivo', 'tailwindcss', 'vite']
/** What the worker is made of that keeps the application on the device. */
const WORKBOX = ['core', 'expiration', 'precaching', 'routing', 'strategies'].map((part) => `workbox-${part}`)
/** Python packages that the judge of the device runs (vite.config.ts ships them). */
const ON_THE_DEVICE = ['fsrs', 'typing_extensions']
const MPL = `This Source Code Form is subject to the terms of the Mozilla Public License, v. 2.0.
If a copy of the MPL was not distributed with this file, You can obtain one at https://mozilla.org/MPL/2.0/.
The files are those of the package of this name and version, unchanged; its source is published with it.
It holds CPython, under the PSF License Agreement: Copyright (c) 2001 Python Software Foundation; All Rights Reserved.`
const ABOUT_A_LICENSE = /^(licen[cs]e|copying|ofl)/i

/** Lists what the built application holds of others, with licenses, in notices.json; a package without one fails. */
export function notices(sitePackages: () => URL): Plugin {
  return {
    name: 'notices',
    apply: 'build',
    generateBundle(_options, bundle) {
      const chunks = Object.values(bundle).filter((one): one is Rollup.OutputChunk => one.type === 'chunk')
      const bundled = chunks.flatMap(({ moduleIds }) => moduleIds.flatMap((id) => packageOf(id) ?? []))
      const found = [...new Set([...bundled, ...FILES, ...WORKBOX])].map(ofNode)
      found.push(...ON_THE_DEVICE.map((name) => ofPython(sitePackages(), name)))
      const source = JSON.stringify(found.sort((a, b) => a.name.localeCompare(b.name)))
      this.emitFile({ type: 'asset', fileName: 'notices.json', source })
    },
  }
}

const packageOf = (id: string): string | undefined =>
  /.*node_modules\/((?:@[^/]+\/)?[^/]+)\//.exec(id.replaceAll('\\', '/'))?.[1]

function ofNode(name: string): Notice {
  const folder = new URL(`node_modules/${name}/`, import.meta.url)
  const { version, license } = JSON.parse(readFileSync(new URL('package.json', folder), 'utf8')) as Record<
    'version' | 'license',
    string
  >
  return { name, version, license, text: name === 'pyodide' ? MPL : textIn(folder, name, license) }
}

function ofPython(sitePackages: URL, name: string): Notice {
  const info = readdirSync(sitePackages).find(
    (one) => one.startsWith(`${name}-`) && one.endsWith('.dist-info'),
  )
  const folder = new URL(`${info}/`, sitePackages)
  const metadata = readFileSync(new URL('METADATA', folder), 'utf8')
  const said = (field: string) => new RegExp(`^${field}: (.*)$`, 'm').exec(metadata)?.[1]
  const license = said('License-Expression') ?? said('License') ?? ''
  const version = said('Version') ?? ''
  return { name, version, license, text: textIn(new URL('licenses/', folder), name, license) }
}

/** The license that lies in a folder; one that is only named is told with the words that it asks to be told with. */
function textIn(folder: URL, name: string, license: string): string {
  const file = existsSync(folder) && readdirSync(folder).find((one) => ABOUT_A_LICENSE.test(one))
  if (file) return readFileSync(new URL(file, folder), 'utf8').trim()
  const told = new URL('package.json', folder)
  if (!license || !existsSync(told)) throw new Error(`${name} says nothing of its license: it cannot ship`)
  const { author } = JSON.parse(readFileSync(told, 'utf8')) as { author?: unknown }
  const who = typeof author === 'string' ? author : (author as { name?: string } | undefined)?.name
  return `${license}${who ? `, Copyright (c) ${who}` : ''}`
}
