"""Values worked out from the document; nothing here is stored."""
