"""Learning: what each closed job teaches, versions of learnt tables, a chain's counts. What was found in a job becomes
a record of the job, place by place."""

from alembic import op
import sqlalchemy as sa
from sqlalchemy.dialects import mysql

revision = "0010"
down_revision = "0009"

EXACT = "utf8mb4_bin"

#: What was noted before was asked for "once everything was apart": it counts as seen. One record for each place.
CARRY_OVER = """
insert into job_records (workshop_id, job_id, kind, subject, value, note, role, made_by, made_at)
select o.workshop_id, o.job_id, 'found', o.corner,
    json_object('faults', json_compact(concat('[', coalesce(group_concat(distinct
        case when o.fault = 'no_fault' then null else json_quote(o.fault) end order by o.fault separator ','), ''),
        ']')), 'how', 'seen'),
    coalesce(left(group_concat(distinct case when o.note = '' then null else o.note end separator '; '), 500), ''),
    max(p.role), min(o.noted_by), max(o.noted_at)
from outcomes o join people p on p.id = o.noted_by
where not exists (select 1 from job_records r
    where r.workshop_id = o.workshop_id and r.job_id = o.job_id and r.kind = 'found' and r.subject = o.corner)
group by o.workshop_id, o.job_id, o.corner
"""


def upgrade() -> None:
    op.add_column("workshops", sa.Column("learnt_version", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("workshops", sa.Column("learning_asked_at", mysql.DATETIME(fsp=6), nullable=True))
    op.add_column(
        "workshops", sa.Column("origin", sa.String(length=32, collation=EXACT), nullable=False, server_default="")
    )
    op.create_table(
        "taught_cases",
        sa.Column("job_id", sa.Integer(), nullable=False, autoincrement=False),
        sa.Column("key", sa.String(length=64), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("held", sa.Boolean(), nullable=False),
        sa.Column("counts", sa.JSON(), nullable=False),
        sa.Column("expert", sa.JSON(), nullable=False),
        sa.Column("learnt", sa.JSON(), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
        sa.ForeignKeyConstraint(["workshop_id", "job_id"], ["jobs.workshop_id", "jobs.id"]),
        sa.PrimaryKeyConstraint("job_id"),
    )
    op.create_table(
        "learnt_versions",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("knowledge_key", sa.String(length=80), nullable=False),
        sa.Column("own_cases", sa.Integer(), nullable=False),
        sa.Column("held", sa.Integer(), nullable=False),
        sa.Column("chain_weight", sa.Double(), nullable=False),
        sa.Column("counts", sa.JSON(), nullable=False),
        sa.Column("standing", sa.JSON(), nullable=False),
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("workshop_id", "number", name="learnt_versions_by_number"),
    )
    op.create_table(
        "chain_counts",
        sa.Column("workshop_id", sa.Integer(), nullable=False),
        sa.Column("origin", sa.String(length=32, collation=EXACT), nullable=False),
        sa.Column("counts", sa.JSON(), nullable=False),
        sa.Column("imported_by", sa.Integer(), nullable=False),
        sa.Column("imported_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["workshop_id"], ["workshops.id"]),
        sa.ForeignKeyConstraint(["workshop_id", "imported_by"], ["people.workshop_id", "people.id"]),
        sa.PrimaryKeyConstraint("workshop_id", "origin"),
    )
    if sa.inspect(op.get_bind()).has_table("outcomes"):
        op.execute(CARRY_OVER)
        op.drop_table("outcomes")
