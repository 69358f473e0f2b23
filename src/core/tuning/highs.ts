import loadHighs from 'highs'
import type { Program, Solved, Solver } from './milp'

/** HiGHS (Huangfu & Hall 2018, “Parallelizing the dual revised simplex method”) as WebAssembly: branch and cut for mixed-integer programs. */
export async function loadSolver(): Promise<Solver> {
  const highs = await loadHighs()
  const { modelStatus, variableType } = highs.constants
  return (program, seconds, start) =>
    highs.withModel((model): Solved => {
      model.options.set('output_flag', false)
      model.options.set('time_limit', Math.max(0.01, seconds))
      model.options.set('mip_rel_gap', 0)
      model.options.set('mip_abs_gap', 1e-6)
      model.passModel(modelData(program, variableType, highs.infinity))
      model.setSolution({ colValue: start })
      const status = model.run().modelStatus
      if (status === modelStatus.infeasible) return { isInfeasible: true, bound: Infinity, x: null }
      const bound = Number(model.info.get('mip_dual_bound'))
      const isFound = Number(model.info.get('primal_solution_status')) === 2
      return {
        isInfeasible: false,
        bound: Number.isFinite(bound) && Math.abs(bound) < 1e20 ? bound : -Infinity,
        x: isFound ? [...model.getSolution().colValue] : null,
      }
    })
}

function modelData(
  { cost, colLower, colUpper, isInteger, rowLower, rowUpper, starts, indices, values }: Program,
  kinds: { readonly continuous: 0; readonly integer: 1 },
  infinity: number,
) {
  const finite = (list: readonly number[]): number[] =>
    list.map((value) => (Number.isFinite(value) ? value : Math.sign(value) * infinity))
  return {
    numCols: cost.length,
    numRows: rowLower.length,
    colCost: cost,
    colLower: finite(colLower),
    colUpper: finite(colUpper),
    rowLower: finite(rowLower),
    rowUpper: finite(rowUpper),
    matrix: { format: 'csr' as const, numRows: rowLower.length, numCols: cost.length, starts, indices, values },
    integrality: isInteger.map((is) => (is ? kinds.integer : kinds.continuous)),
  }
}
