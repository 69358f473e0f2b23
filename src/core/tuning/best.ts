import { compareScores, type LoadBoard, type Score } from './board'

/** Of each movable trigger the place of its choice. */
export type Answer = Int32Array

/** The best answer so far, which all that search have in common. */
export class Best {
  answer: Answer
  score: Score
  peaks: Int32Array
  /** How often a better one came. */
  times = 0

  constructor(answer: Answer, board: LoadBoard) {
    this.answer = answer.slice()
    this.score = board.score()
    this.peaks = board.peaks.slice()
  }

  /** Takes it over if it is better. */
  offer(answer: Answer, board: LoadBoard): void {
    const score = board.score()
    if (compareScores(score, this.score) >= 0) return
    this.answer = answer.slice()
    this.score = score
    this.peaks = board.peaks.slice()
    this.times++
  }
}
