/**
 * Rules that neither the type checker nor the linter knows, each with the place that breaks it:
 *   the runner compares no verb by name; nothing reads a sentence back as a fact; the sentences of findings, facts,
 *   failures and evidence stand in the says.ts of their area; counts beside a noun are made by countText.
 */
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'
import { root } from './ready.mjs'

function sources(folder) {
  return readdirSync(join(root, folder), { recursive: true, encoding: 'utf8' })
    .filter((name) => /\.tsx?$/.test(name) && !/\.test\.tsx?$/.test(name))
    .map((name) => `${folder}/${name}`)
}

const problems = []
const report = (file, source, node, says) => {
  const { line } = source.getLineAndCharacterOfPosition(node.getStart(source))
  problems.push(`${file}:${line + 1} ${says}`)
}

/** Calls `visit` for every node of a file. */
function walk(file, visit) {
  const text = readFileSync(join(root, file), 'utf8')
  const kind = file.endsWith('x') ? ts.ScriptKind.TSX : ts.ScriptKind.TS
  const source = ts.createSourceFile(file, text, ts.ScriptTarget.Latest, true, kind)
  const step = (node) => {
    visit(node, source)
    ts.forEachChild(node, step)
  }
  step(source)
}

const isComparison = (node) =>
  ts.isBinaryExpression(node) &&
  [ts.SyntaxKind.EqualsEqualsEqualsToken, ts.SyntaxKind.ExclamationEqualsEqualsToken].includes(
    node.operatorToken.kind,
  )

const named = (node, name) => ts.isPropertyAccessExpression(node) && node.name.text === name

/** A verb of the contract, as a string literal. */
const isVerbText = (node) => ts.isStringLiteral(node) && /^[a-z]+\.[a-z-]+$/.test(node.text)

for (const file of sources('server/runner'))
  walk(file, (node, source) => {
    if (isComparison(node) && (named(node.left, 'verb') || named(node.right, 'verb')))
      report(file, source, node, 'compares a verb by its name: say what differs in the contract')
    if (
      isVerbText(node) &&
      ts.isPropertyAssignment(node.parent) &&
      node.parent.name.getText(source) === 'verb'
    )
      report(file, source, node, 'asks for a verb by its name: the runner carries what plans ask')
  })

/** Methods that look into a text rather than show it. */
const lookingInto = new Set([
  'includes',
  'startsWith',
  'endsWith',
  'match',
  'indexOf',
  'search',
  'split',
])

for (const file of ['core', 'server', 'standin', 'app', 'workers'].flatMap(sources))
  walk(file, (node, source) => {
    const says = 'reads a sentence back: facts have codes and parameters'
    if (isComparison(node)) {
      const sides = [node.left, node.right]
      const isNullCheck = sides.some((side) =>
        ['null', 'undefined', "''"].includes(side.getText(source)),
      )
      if (sides.some((side) => named(side, 'says')) && !isNullCheck)
        report(file, source, node, says)
    }
    if (!ts.isCallExpression(node) || !ts.isPropertyAccessExpression(node.expression)) return
    const { expression, name } = node.expression
    if (named(expression, 'says') && lookingInto.has(name.text)) report(file, source, node, says)
    if (name.text === 'test' && node.arguments.some((argument) => named(argument, 'says')))
      report(file, source, node, says)
  })

const isText = (node) =>
  ts.isStringLiteral(node) ||
  ts.isNoSubstitutionTemplateLiteral(node) ||
  ts.isTemplateExpression(node)

for (const file of ['core', 'server', 'standin'].flatMap(sources))
  walk(file, (node, source) => {
    if (!ts.isCallExpression(node) || !ts.isIdentifier(node.expression)) return
    const called = node.expression.text
    if (called === 'sentences' && !/(^|\/)(says|said)\.ts$/.test(file))
      report(file, source, node, 'makes sentences outside the says.ts of its area')
    const text = node.arguments[1]
    if (called === 'quoted' && text && isText(text) && !file.startsWith('server/testing/'))
      report(file, source, node, 'quotes words of its own: give them a code in says.ts')
  })

/** Counts beside their noun are made by `countText`, or a page says “1 pods” one day. */
const nouns =
  'pods|nodes|machines|hosts|steps|things|clusters|rules|calls|changes|days|fields|replicas|lines|ranges|images|disks|addresses|zones|sites|pools|objects'
const plural = new RegExp(`(?<before>[^\\n]{0,24})\\$\\{(?<count>[^{}\`]+)\\} (?:${nouns})\\b`, 'g')
/** After these words the noun stays in the plural, or the figure is no count. */
const isPlural = /(\ball|\bof|\bonly|\bevery|\bthan|\bfirst|\bthe|\bto|\band|\bother) $/i
for (const file of ['core', 'server', 'standin', 'app'].flatMap(sources))
  for (const [i, line] of readFileSync(join(root, file), 'utf8').split('\n').entries())
    for (const { groups } of line.matchAll(plural))
      if (
        /(length|[cC]ount|size)( \?\? 0)?$/.test(groups.count) &&
        !groups.count.startsWith('countText') &&
        !isPlural.test(groups.before)
      )
        problems.push(`${file}:${i + 1} counts without countText: ${groups.count}`)

/** A parameter whose name only keeps it apart from another says nothing to whoever reads it. */
for (const file of ['core', 'server', 'standin']
  .flatMap(sources)
  .filter((name) => /says\.ts$/.test(name)))
  walk(file, (node, source) => {
    if (ts.isPropertySignature(node) && /[a-z][2-9]$/.test(node.name.getText(source)))
      report(file, source, node, 'numbers a parameter: name what it holds')
  })

for (const problem of problems) console.error(problem)
process.exit(problems.length === 0 ? 0 : 1)
