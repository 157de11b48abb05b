"""HTTP: translate, call, answer. No rule of the trade lives here."""
