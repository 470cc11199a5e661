"""The rules and sums of the job: pure computation, without files, clock, network, web or database."""
