"""Long work for a document: it shows how far it is, can be cancelled, and never joins another document."""
