"""Trends and the alarm journal by the month; files that any web host hands out; when a rack was armed."""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"

PARTS = {"trend_hour": ("hour", "point, hour"), "trend_clock": ("hour", "id, hour"), "journal": ("at", "id, at")}
"""{table: (the time it is parted by, its key)}."""
INDEXES = {
    "trend_hour": {"ix_trend_hour_hour": "hour"},
    "trend_clock": {"ix_trend_clock_hour": "hour"},
    "journal": {"ix_journal_at": "at", "ix_journal_point": "point, at"},
}
GROWS = "before update or delete or truncate on {} for each statement execute function refuse_change()"

MONTHS = """
create function canaleta_months(ahead int) returns int language plpgsql security definer
    set search_path = public, pg_temp set timezone = 'UTC' as $$
declare
    parted record; month timestamptz; part text; made int := 0;
begin
    -- Two that make the same month at once would meet.
    perform pg_advisory_xact_lock(1668178273);
    for parted in select * from (values ('trend_hour', 'hour'), ('trend_clock', 'hour'), ('journal', 'at')) v(name, at) loop
        for k in 0..greatest(least(ahead, 24), 0) loop
            month := date_trunc('month', clock_timestamp()) + make_interval(months => k);
            part := parted.name || to_char(month, '_YYYY_MM');
            continue when to_regclass(part) is not null;
            begin
                execute format('create table %I (like %I including all)', part, parted.name);
                -- What came before its month was made lies in the default partition.
                if parted.name = 'journal' then
                    alter table journal_default disable trigger only_grows;
                end if;
                execute format(
                    'with moved as (delete from %I where %I >= %L and %I < %L returning *) insert into %I select * from moved',
                    parted.name || '_default', parted.at, month, parted.at, month + interval '1 month', part);
                if parted.name = 'journal' then
                    alter table journal_default enable trigger only_grows;
                    execute format('create trigger only_grows before update or delete or truncate on %I '
                        'for each statement execute function refuse_change()', part);
                end if;
                execute format('alter table %I attach partition %I for values from (%L) to (%L)',
                    parted.name, part, month, month + interval '1 month');
                made := made + 1;
            exception when invalid_object_definition then
                -- What was there before the months covers this one.
                null;
            end;
        end loop;
    end loop;
    return made;
end $$
"""

DROP = """
create function canaleta_drop_months(parted text, at text, before timestamptz) returns text[] language plpgsql
    set search_path = public, pg_temp set timezone = 'UTC' set lock_timeout = '2s' as $$
declare
    part text; ends timestamptz; dropped text[] := '{}';
begin
    for part in select c.relname from pg_inherits i join pg_class c on c.oid = i.inhrelid
            where i.inhparent = to_regclass(parted) order by 1 loop
        if part ~ '_\\d{4}_\\d{2}$' then
            ends := to_timestamp(right(part, 7), 'YYYY_MM') + interval '1 month';
        else
            execute format('select max(%I) from %I', at, part) into ends;
        end if;
        if ends <= before and part <> parted || '_default' then
            execute format('drop table %I', part);
            dropped := dropped || part;
        end if;
    end loop;
    return dropped;
end $$
"""

FORGET = """
create function canaleta_forget_trends(before timestamptz) returns text[] language plpgsql security definer
    set search_path = public, pg_temp as $$
begin
    -- Yesterday's are in nobody's way.
    before := least(before, clock_timestamp() - interval '1 day');
    delete from trend_hour_default where hour < before;
    delete from trend_clock_default where hour < before;
    return canaleta_drop_months('trend_hour', 'hour', before) || canaleta_drop_months('trend_clock', 'hour', before);
end $$
"""


def upgrade() -> None:
    for table, (at, key) in PARTS.items():
        _part(table, at, key)
    op.execute(MONTHS)
    op.execute(DROP)
    op.execute(FORGET)
    for function in ("canaleta_months(int)", "canaleta_drop_months(text, text, timestamptz)",
                     "canaleta_forget_trends(timestamptz)"):  # fmt: skip
        op.execute(f"revoke execute on function {function} from public")
    op.execute("select canaleta_months(2)")
    op.create_table(
        "made_file",
        sa.Column("kind", sa.Text(), primary_key=True),
        sa.Column("number", sa.BigInteger(), primary_key=True, autoincrement=False),
        sa.Column("part", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
    )
    op.execute("alter table made_file alter column body set storage external")
    # What was made before lies on a disk, for a day: it is asked for again.
    op.execute("update dossier set file = ''")
    op.execute("update print_job set file = ''")
    op.add_column("arming", sa.Column("at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()))


def _part(table: str, at: str, key: str) -> None:
    """Make a table one of months; what it holds becomes its first partition, uncopied."""
    before = f"{table}_before"
    op.execute(f"alter table {table} rename to {before}")
    op.execute(f"alter table {before} drop constraint pk_{table}")
    for index in INDEXES[table]:
        op.execute(f"drop index {index}")
    op.execute(f"create table {table} (like {before} including defaults including storage) partition by range ({at})")
    op.execute(f"alter table {table} add constraint pk_{table} primary key ({key})")
    for index, columns in INDEXES[table].items():
        op.execute(f"create index {index} on {table} ({columns})")
    if table != "trend_hour":
        op.execute(f"alter sequence {table}_id_seq owned by {table}.id")
    op.execute(f"create table {table}_default partition of {table} default")
    if table == "journal":
        op.execute(f"create trigger only_grows {GROWS.format(table)}")
        op.execute(f"create trigger only_grows {GROWS.format(f'{table}_default')}")
    newest = op.get_bind().execute(sa.text(f"select max({at}) from {before}")).scalar_one()
    if newest is None:
        op.execute(f"drop table {before}")
        return
    ends = (
        "date_trunc('month', greatest(cast(:newest as timestamptz), clock_timestamp()), 'UTC') + interval '1 month'"
    )
    bound = op.get_bind().execute(sa.text(f"select ({ends})::text"), {"newest": newest}).scalar_one()
    op.execute(f"alter table {table} attach partition {before} for values from (minvalue) to ('{bound}')")
