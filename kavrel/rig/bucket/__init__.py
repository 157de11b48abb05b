"""A stand-in for somebody's bucket service: it speaks as much of the S3 protocol as a copy job needs."""
