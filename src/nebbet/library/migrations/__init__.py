"""Alembic's environment and the migrations of the library, shipped inside the package."""
