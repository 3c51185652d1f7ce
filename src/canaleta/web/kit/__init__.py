"""What all routes are made with: access, problems, the shapes of requests and answers, the hub of the streams."""
