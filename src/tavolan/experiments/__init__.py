"""Experiments: a hypothesis with variants, a length decided beforehand, and verdicts that daily looks don't spoil."""
