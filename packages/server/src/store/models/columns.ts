import { DataTypes, type Model, type ModelStatic } from 'sequelize';

/** A model whose rows are read as plain objects (`raw: true`). */
export type Table<R extends object> = ModelStatic<Model<R, Partial<R>>>;

/** Makes the model of a table. */
export type Define = <R extends object>(name: string, columns: Record<string, unknown>) => Table<R>;

// Column descriptions are made anew each time: Sequelize writes into them.
export const number = () => ({ type: DataTypes.INTEGER, autoIncrement: true, primaryKey: true });
export const key = () => ({ type: DataTypes.INTEGER, primaryKey: true });
/** Counted up by every change. */
export const revision = () => ({ revision: { type: DataTypes.INTEGER, defaultValue: 1 } });
export const fields = <T>(names: string, type: T): Record<string, T> =>
  Object.fromEntries(names.split(' ').map((name) => [name, type]));
