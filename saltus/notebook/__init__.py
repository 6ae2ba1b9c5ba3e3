"""The document: its model, its edits, undo, storage."""
