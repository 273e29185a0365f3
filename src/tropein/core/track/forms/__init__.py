"""What track files hold, one form each: a frame of it, the path to ride on, the columns of its table."""
