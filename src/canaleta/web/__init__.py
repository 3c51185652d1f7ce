"""The doors: sign-in, the API, the stream and the built front end."""
