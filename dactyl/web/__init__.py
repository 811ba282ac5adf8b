"""What every app of the site stands on: values of requests, pages kept for many readers, how notes and times are told."""
