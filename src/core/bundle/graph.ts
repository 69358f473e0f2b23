/**
 * The loops of a directed graph: its strongly connected parts of more than one node, or of one that leads to itself (Tarjan 1972, without
 * recursion). Nodes are 0 … n-1; each loop is ascending, and so are the loops by their first node.
 */
export function loopsOf(next: readonly (readonly number[])[]): number[][] {
  const n = next.length
  const index = new Int32Array(n).fill(-1)
  const low = new Int32Array(n)
  const isOpen = new Uint8Array(n)
  const stack: number[] = []
  const loops: number[][] = []
  let counter = 0
  for (let root = 0; root < n; root++) {
    if (index[root] !== -1) continue
    const path: { node: number; edge: number }[] = [{ node: root, edge: 0 }]
    while (path.length > 0) {
      const top = path[path.length - 1] as { node: number; edge: number }
      const { node } = top
      if (top.edge === 0) {
        index[node] = low[node] = counter++
        stack.push(node)
        isOpen[node] = 1
      }
      const edges = next[node] as readonly number[]
      let entered = false
      while (top.edge < edges.length) {
        const to = edges[top.edge++] as number
        if (index[to] === -1) {
          path.push({ node: to, edge: 0 })
          entered = true
          break
        }
        if (isOpen[to]) low[node] = Math.min(low[node] as number, index[to] as number)
      }
      if (entered) continue
      path.pop()
      const parent = path[path.length - 1]
      if (parent) low[parent.node] = Math.min(low[parent.node] as number, low[node] as number)
      if (low[node] === index[node]) {
        const part = stack.splice(stack.lastIndexOf(node))
        for (const each of part) isOpen[each] = 0
        if (part.length > 1 || edges.includes(node)) loops.push(part.sort((a, b) => a - b))
      }
    }
  }
  return loops.sort((a, b) => (a[0] as number) - (b[0] as number))
}

/** The length of the longest path from each node of a graph without loops, in nodes. */
export function depthsOf(next: readonly (readonly number[])[]): Int32Array {
  const depth = new Int32Array(next.length)
  for (let root = 0; root < next.length; root++) {
    const path: { node: number; edge: number }[] = depth[root] === 0 ? [{ node: root, edge: 0 }] : []
    while (path.length > 0) {
      const top = path[path.length - 1] as { node: number; edge: number }
      const edges = next[top.node] as readonly number[]
      const to = edges[top.edge]
      if (to === undefined) {
        depth[top.node] = 1 + edges.reduce((deepest, each) => Math.max(deepest, depth[each] as number), 0)
        path.pop()
      } else {
        top.edge++
        if (depth[to] === 0) path.push({ node: to, edge: 0 })
      }
    }
  }
  return depth
}

/** All nodes that edges lead to from some; these themselves among them. */
export function reachable<Node>(from: Iterable<Node>, next: (node: Node) => Iterable<Node>): Set<Node> {
  const seen = new Set(from)
  // A set is gone through in the order in which it grows.
  for (const node of seen) for (const to of next(node)) seen.add(to)
  return seen
}
