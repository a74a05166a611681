"""What is kept: sculpts, plans and jobs in SQLite; uploads and computed fields as files beside it."""
