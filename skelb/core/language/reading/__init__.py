"""Text to statements: lines, tokens, expressions, statements."""
