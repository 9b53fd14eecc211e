import { col, fn, Op, where } from 'sequelize';

/** A filter for a part of a text, letter by letter. */
export function contains(text: string): { [Op.like]: string } {
  return { [Op.like]: `%${text.replace(/[\\%_]/g, (letter) => `\\${letter}`)}%` };
}

/** A filter for a part of a column's text, in any case. */
export function containsAnyCase(column: string, text: string): ReturnType<typeof where> {
  return where(fn('LOWER', col(column)), contains(text.toLowerCase()));
}
