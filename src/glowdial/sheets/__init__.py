"""The open documents: the receiver data sheet, its template, and the whole job as one file."""
