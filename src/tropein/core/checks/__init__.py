"""What is wrong with what a person drew or keyed: each looks at pictures of a shot and says so frame by frame."""
