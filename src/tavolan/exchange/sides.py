"""Whose text is kept where both sides changed it since they last agreed."""

from typing import Literal

# Nobody's until somebody decides, the project's, or that of what came back.
Keep = Literal["ask", "mine", "theirs"]
