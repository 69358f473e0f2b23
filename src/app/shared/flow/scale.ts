/** Measures of a flow's picture, pixels. */
export const LEFT = 16
/** Room for the titles of the last steps. */
export const RIGHT = 240
export const AXIS = 24
export const ROW = 28
export const BAR = 20
/** Narrower bars are drawn this wide. */
export const LEAST = 5

/** Pixels of a character of a bar's title: a little more than most need. */
export const TITLE_CHAR = 6

/** How many times as wide as the whole a picture can be. */
export const ZOOMS = [1, 1.5, 2, 3, 5, 8, 12, 20, 40]
/** A narrower bar has no sides to drop something at: all of it means after it. */
export const LEAST_DIVIDED = 36
