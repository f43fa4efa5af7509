/** How each member has laid out the tables: order, hidden columns, widths. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE table_layouts (
  desk_id ${id} NOT NULL REFERENCES desks(id),
  member_id ${id} NOT NULL REFERENCES members(id) ON DELETE CASCADE,
  table_name text NOT NULL,
  layout jsonb NOT NULL,
  PRIMARY KEY (desk_id, member_id, table_name)
);
`;

export const down = `DROP TABLE table_layouts;`;
