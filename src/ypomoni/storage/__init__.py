"""PostgreSQL: the cluster, the pool, migrations, and one module per aggregate. Functions take a connection and never commit."""
