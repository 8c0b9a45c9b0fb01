"""The database: MariaDB through SQLAlchemy. Every row belongs to one workshop."""
