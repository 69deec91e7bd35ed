"""The one way to ask about a garden: each question with its part of the record and its arguments, whoever asks."""
