"""What a rehearsal hands out: verdict, text, SARIF, JUnit, trace, stock, and the replay's data."""
