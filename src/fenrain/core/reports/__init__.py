"""What a supervisor reads of conversions: pictures, numbers, verdicts, ledgers, losses; as HTML, PDF, CSV or JSON."""
