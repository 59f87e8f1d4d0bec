"""SQLAlchemy models, queries and migrations over MariaDB. Rows are not domain objects."""
