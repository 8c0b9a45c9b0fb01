"""Open formats in and out: inspection documents, tables of measurements, whole jobs."""
