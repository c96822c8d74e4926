"""The journey of one set along the bench: what to do next, what to expect, what it means.

Everything is derived from the receiver's facts and the append-only record of the job; no rule knows
where a reading came from.
"""
