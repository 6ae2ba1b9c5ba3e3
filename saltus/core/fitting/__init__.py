"""One least-squares fit and one judgement of its residuals, for segments, lines and curves alike."""
