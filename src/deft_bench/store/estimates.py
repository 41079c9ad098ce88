"""Accepted estimates of a job."""

from deft_bench.store.documents import AcceptedDocuments

ESTIMATES = AcceptedDocuments("job_estimate")
