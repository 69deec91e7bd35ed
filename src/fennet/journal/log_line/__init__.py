"""The log line: a grower's shorthand for what was measured and done. The grammar stands in docs/log-line.md.

    line      = statement { ";" statement } [ "@" when ]
    statement = subject { subject } clause { clause }

`understand` turns a line into deeds and readings or raises Misread, which says where, what was given, what is accepted and
how the line would read mended. `suggest` offers how to go on. Both are pure: what is in the garden is given as a Scene.
"""

from fennet.journal.log_line.grammar import understand
from fennet.journal.log_line.scene import Scene, scene_of
from fennet.journal.log_line.statement import Action, Measured, Misread, Said
from fennet.journal.log_line.suggest import Suggestion, suggest

__all__ = ["Action", "Measured", "Misread", "Said", "Scene", "Suggestion", "scene_of", "suggest", "understand"]
