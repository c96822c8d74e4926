"""The job's records in SQLite: append-only readings and events, migrations, queries."""
