import { createHash } from "node:crypto";
import pg from "pg";

/** The role that everything works as: it owns what is ours and may make databases, and is no superuser. */
export const WORKING_ROLE = "stemzo_work";

/** Its password, from the superuser's, which does not follow from it. */
export const workingPassword = (superPassword: string): string =>
  createHash("sha256").update(`${WORKING_ROLE}\n${superPassword}`).digest("hex");

/** Identity columns' sequences belong to their tables, and go along with them. */
const OWN_ALL = `
do $$
declare
  part record;
begin
  for part in
    select format('alter schema %I owner to ${WORKING_ROLE}', nspname) as command
      from pg_namespace where nspname in ('drizzle', 'graphile_worker') and nspowner = current_user::regrole
    union all
    select format('alter table %s owner to ${WORKING_ROLE}', c.oid::regclass)
      from pg_class c join pg_namespace n on n.oid = c.relnamespace
      where n.nspname in ('public', 'drizzle', 'graphile_worker') and c.relowner = current_user::regrole
        and (c.relkind in ('r', 'p', 'v', 'm') or c.relkind = 'S' and not exists (
          select from pg_depend d where d.objid = c.oid and d.classid = 'pg_class'::regclass and d.deptype in ('a', 'i')))
    union all
    select format('alter type %s owner to ${WORKING_ROLE}', t.oid::regtype)
      from pg_type t join pg_namespace n on n.oid = t.typnamespace left join pg_class c on c.oid = t.typrelid
      where n.nspname in ('public', 'drizzle', 'graphile_worker') and t.typowner = current_user::regrole
        and (t.typtype in ('e', 'd') or t.typtype = 'c' and c.relkind = 'c')
    union all
    select format('alter routine %s owner to ${WORKING_ROLE}', p.oid::regprocedure)
      from pg_proc p join pg_namespace n on n.oid = p.pronamespace
      where n.nspname in ('public', 'drizzle', 'graphile_worker') and p.proowner = current_user::regrole
  loop
    execute part.command;
  end loop;
end $$`;

/**
 * Makes the working role where there is none, and hands it what is ours: a new database, or one in which earlier
 * versions worked as the superuser. `url`: the superuser's.
 */
export async function prepareRole(url: string, password: string): Promise<void> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    const { rows } = await client.query("select from pg_roles where rolname = $1", [WORKING_ROLE]);
    if (rows.length === 0) await client.query(`create role ${WORKING_ROLE} login createdb`);
    await client.query(`alter role ${WORKING_ROLE} password '${password}'`);
    await client.query(`alter database postgres owner to ${WORKING_ROLE}`);
    await client.query(OWN_ALL);
  } finally {
    await client.end();
  }
}
