"""What users hold: a trace, its objects, its events. The only package that joins the store and the algebra."""
