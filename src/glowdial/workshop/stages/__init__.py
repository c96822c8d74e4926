"""What single stages want of the workshop beyond their rules: stock, photos, the matrix."""
