"""Long work: jobs queued in the database, run by a worker process, with progress, cancel, retry and a clear failure."""
