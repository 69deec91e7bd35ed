"""PostgreSQL through SQLModel: tables, migrations, and queries that take and return core records.

Import rule: fennet.core and fennet.crops. Every query takes the garden; nothing here decides a rule of the job.
"""
