"""Intake: what came through the door."""
