"""Everything that Set-up keeps as one document: taken out, compared, applied."""
