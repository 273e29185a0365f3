"""The web application: stores documents, schedules work, shows pictures."""
