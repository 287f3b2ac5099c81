"""What is open: the document, what is selected, the jobs that run. No widgets."""
