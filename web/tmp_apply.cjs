// node tmp_apply.cjs FILE : lines "ns path | en | es"
const ts = require('typescript'), fs = require('fs'), path = require('path')
const base = path.join(__dirname, 'src/shared/i18n')
const pairsFile = '/tmp/words/pairs.json'
const pairs = fs.existsSync(pairsFile) ? JSON.parse(fs.readFileSync(pairsFile)) : []
const where = {} // lang -> top key -> file
for (const lang of ['en', 'es']) for (const f of fs.readdirSync(path.join(base, lang))) {
  const file = path.join(base, lang, f)
  const src = ts.createSourceFile(file, fs.readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true)
  const map = {}
  const walk = (node, at) => { for (const p of node.properties) { if (!ts.isPropertyAssignment(p)) continue
    const k = at + p.name.text; if (ts.isObjectLiteralExpression(p.initializer)) walk(p.initializer, k + '.'); else map[k] = p.initializer } }
  ts.forEachChild(src, n => { if (ts.isVariableStatement(n)) for (const d of n.declarationList.declarations) if (d.initializer && ts.isObjectLiteralExpression(d.initializer)) walk(d.initializer, '') })
  for (const k in map) ((where[lang] ??= {})[k]) = { file, node: map[k] }
}
const edits = {}
let bad = 0
for (const line of fs.readFileSync(process.argv[2], 'utf8').split('\n')) {
  if (!line.trim() || line.startsWith('#')) continue
  const [key, en, es] = line.split(' | ').map(s => s.trim())
  for (const [lang, text] of [['en', en], ['es', es]]) {
    if (text === undefined) { console.log('MISSING', line); bad++; continue }
    if (text === '=') continue
    const w = where[lang][key]
    if (!w) { if(!(lang==='en' && key.indexOf('.')<0)) {console.log('NO KEY', lang, key); bad++}; continue }
    if (!ts.isStringLiteral(w.node) && !ts.isNoSubstitutionTemplateLiteral(w.node)) { console.log('NOT TEXT', key); bad++; continue }
    const old = w.node.text
    if (lang === 'en' && old !== text) pairs.push([key, old, text]); else if (old !== text) pairs.push(['es:' + key, old, text])
    const ph = t => (t.match(/{{\w+}}/g) || []).sort().join()
    if (ph(old) !== ph(text)) console.log('PLACEHOLDERS', lang, key, ph(old), '->', ph(text))
    ;(edits[w.file] ??= []).push([w.node.getStart(), w.node.getEnd(), text.includes("'") ? JSON.stringify(text) : `'${text}'`])
  }
}
for (const f in edits) { let s = fs.readFileSync(f, 'utf8'); for (const [a, b, t] of edits[f].sort((x, y) => y[0] - x[0])) s = s.slice(0, a) + t + s.slice(b); fs.writeFileSync(f, s) }
fs.writeFileSync(pairsFile, JSON.stringify(pairs, null, 1))
console.log(Object.keys(edits).length, 'files', pairs.length, 'pairs; bad', bad)
