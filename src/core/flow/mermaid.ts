import type { Plan, PlanStep } from './plan'

/** Text within a label: Mermaid reads `"`, `#` and `;` itself and takes them as entity codes. */
const label = (text: string): string =>
  text
    .replaceAll('#', '#35;')
    .replaceAll('"', '#quot;')
    .replaceAll('<', '#lt;')
    .replaceAll('>', '#gt;')
    .replaceAll('\n', ' ')

/** The flow as a Mermaid flowchart: links as arrows with their condition, failure routes dotted, gates as hexagons, flows in it as subgraphs. */
export function flowMermaid(plan: Plan): string {
  const out = ['flowchart LR']
  const draw = (members: readonly number[], depth: number): void => {
    const indent = '  '.repeat(depth)
    for (const index of members) {
      const step = plan.steps[index] as PlanStep
      if (step.flow === null) {
        out.push(`${indent}${node(step)}`)
        continue
      }
      out.push(`${indent}subgraph n${index}["${label(titleOf(step))}"]`)
      draw(step.children, depth + 1)
      out.push(`${indent}end`)
    }
  }
  draw(plan.roots, 1)
  for (const step of plan.steps) {
    for (const { from, when } of step.links)
      out.push(`  n${from} -->${when === 'succeeded' ? '' : `|${when}|`} n${step.index}`)
    if (step.routeTo >= 0) out.push(`  n${step.index} -.->|fails| n${step.routeTo}`)
  }
  return `${out.join('\n')}\n`
}

const titleOf = ({ definition }: PlanStep): string => definition.title ?? definition.id

function node(step: PlanStep): string {
  const any = step.join === 'any' && step.links.length > 1 ? ' (any)' : ''
  const text = `"${label(`${titleOf(step)}${any}`)}"`
  return step.gate === null ? `n${step.index}[${text}]` : `n${step.index}{{${text}}}`
}
