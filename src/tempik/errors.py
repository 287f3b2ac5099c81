"""The exceptions that reach a person: a sentence saying what happened, to which file, and what to do."""


class TempikError(Exception):
    """Something a person can mend. Its text is one complete sentence, fit for a status line or stderr."""


class Missed(TempikError):
    """What was asked is done, and what came of it is not as it should be: events miss their points, an export failed."""
