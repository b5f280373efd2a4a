"""What users hold: a trace, its objects, its events. The only room that joins the store and the algebra."""
