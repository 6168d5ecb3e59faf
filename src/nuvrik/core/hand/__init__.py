"""What hands move: from a reading to the level that is sent, and who has the say."""
