"""Long work: a queue in SQLite, a worker process, progress, stopping, and taking up again what was killed."""
