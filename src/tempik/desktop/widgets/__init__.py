"""What every part of the window is made of: the theme, form fields, kept pictures."""
