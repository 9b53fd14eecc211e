/** Height of a row, and the space between widgets, in px. */
export const ROW_PX = 46;
export const ROW_GAP_PX = 20;
export const COLUMN_GAP_PX = 28;
