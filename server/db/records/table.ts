/** What the definitions of the records share. */
import { DataTypes, type Model, type ModelStatic } from 'sequelize';

export type Table<T extends object> = ModelStatic<Model<T, Partial<T>>>;

/** A new object each time: Sequelize writes the field's name into what it is given. */
export const key = () => ({ type: DataTypes.STRING, primaryKey: true });
