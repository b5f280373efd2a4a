"""Reports: from verdicts, results and traces to figures and terminal views."""
