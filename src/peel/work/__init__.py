"""What Peel does, not how it is shown: the open job, background computing, pictures to show, delivery, recovery."""
